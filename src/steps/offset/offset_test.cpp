#include "brep/curves_on.h"
#include "brep/thicken_parts.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class OffsetStepTest : public QObject {
  Q_OBJECT
private slots:
  void severalDistancesOfATrimmedSkinAtOnce() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("trim", {{"body", picks({pick("s5")})}, {"by", picks({pick("s7")})}});
    b.recipe = b.recipe.without("s6");
    b.add("offset", {{"of", picks({pick("s8")})}, {"distance", -1.5}, {"more", json::array({json{{"id", "r1"}, {"distance", 0.8}}, json{{"id", "r2"}, {"distance", 0}}})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto& out = b.result("s9").outcome->outputs;
    QCOMPARE(out.size(), size_t(3));
    const double wanted[] = {1.5, 0.8, 0};
    const auto faces = brep::BodyFaces::of(*b.body("s8"), -1, {});
    VERIFY_OK(faces);
    for (size_t k = 0; k < 3; ++k) {
      const auto& body = *std::get<brep::BodyPtr>(out[k].object);
      QVERIFY(inspect::stateOf(body).valid);
      for (const Vec3& p : brep::pointsInside(brep::faces(body)[0], 6))
        VERIFY_AT_MOST(std::abs(faces->nearest(p)->distanceMm - wanted[k]), 0.0011);
    }
    QVERIFY(b.result("s9").outcome->usedUp.empty()); // the original stays
  }

  void aFaceOfASolidIsCopied() {
    Bench b = tumbler();
    b.run();
    b.add("offset", {{"of", picks({pick("s6", "face", b.body("s6")->faceNames[0])})}, {"distance", 0}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto copy = inspect::stateOf(*b.body("s7"));
    QVERIFY(!copy.solid && copy.valid);
    QCOMPARE(copy.faces, 1);
  }

  void aDistanceThatFoldsIsToldWithOneThatFits() {
    Bench b = tumbler();
    b.add("offset", {{"of", picks({pick("s5")})}, {"distance", -500}});
    b.recipe = b.recipe.without("s6");
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-T001"));
    const Problem& p = *b.result("s7").problem;
    QCOMPARE(p.field, std::string("distance"));
    QVERIFY(!p.where.empty() && !p.remedies.empty());
    b.set("s7", "distance", p.remedies[0].value);
    b.run();
    VERIFY_STEP(b, "s7");
  }
};

static test::Register<OffsetStepTest> registeredOffsetStepTest;
#include "offset_test.moc"
