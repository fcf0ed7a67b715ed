#include "brep/names.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class DeleteFacesStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSolidIsOpenWhereAFaceIsTakenOut() {
    Bench b = tumbler();
    b.run();
    const auto before = inspect::stateOf(*b.body("s6"));
    std::string rim;
    for (const auto& n : b.body("s6")->faceNames)
      if (n.find(".rim") != std::string::npos) rim = n;
    QVERIFY(!rim.empty());
    b.add("delete_faces", {{"faces", picks({pick("s6", "face", rim)})}});
    b.run();
    VERIFY_STEP(b, "s7");
    int faces = 0;
    for (const auto& o : b.result("s7").outcome->outputs) faces += inspect::stateOf(*std::get<brep::BodyPtr>(o.object)).faces;
    QCOMPARE(faces, before.faces - 1);
    QCOMPARE(b.result("s7").outcome->outputs.size(), size_t(2)); // inside and outside do not hang together any more
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-C101"));
  }

  void nothingLeftIsRefused() {
    Bench b = tumbler();
    b.recipe = b.recipe.without("s6");
    b.run();
    b.add("delete_faces", {{"faces", picks({pick("s5", "face", b.body("s5")->faceNames[0])})}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C004"));
  }

  void theFacesAroundCloseAChamferARoundAndAPocket() {
    Bench b;
    const std::string outline = polyline(b, {{0, 0, 0}, {40, 0, 0}, {40, 22, 0}, {32, 30, 0}, {0, 30, 0}, {0, 0, 0}});
    const std::string block = b.add("extrude", {{"sections", picks({pick(outline)})}, {"length", 20}, {"solid", true}});
    const std::string rounded = b.add("ring", {{"shape", "rectangle"}, {"width", 40}, {"depth", 30}, {"radius", 6}, {"x", 100}});
    const std::string second = b.add("extrude", {{"sections", picks({pick(rounded)})}, {"length", 20}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, block);
    VERIFY_STEP(b, second);
    const auto faceAt = [&](const std::string& step, const Vec3& p) {
      const auto body = b.body(step);
      int best = 0;
      double least = 1e300;
      for (int i = 0; i < int(body->faceNames.size()); ++i)
        if (const double d = (brep::signatureOf(*body, brep::PartKind::Face, i).middle - p).norm(); d < least) least = d, best = i;
      return pick(step, "face", body->faceNames[size_t(best)]);
    };
    const std::string sharp = b.add("delete_faces", {{"faces", picks({faceAt(block, {36, 26, 10})})}, {"then", "healed"}});
    const std::string square = b.add("delete_faces", {{"faces", picks({faceAt(second, {118, 13, 10})})}, {"then", "healed"}});
    b.run();
    VERIFY_STEP(b, sharp);
    QVERIFY(b.body(sharp)->solid());
    QCOMPARE(inspect::stateOf(*b.body(sharp)).faces, 6);
    VERIFY_AT_MOST(std::abs(volume(b.body(sharp)) - 24000), 0.1);
    VERIFY_STEP(b, square);
    QVERIFY(b.body(square)->solid());
    VERIFY_AT_MOST(std::abs(volume(b.body(square)) - 20 * (40 * 30 - 3 * 36 * (1 - kPi / 4))), 0.1);
  }

  void aHoleInASkinIsFilledAsItWas() {
    Bench b;
    json sections = json::array();
    for (double y : {-40.0, 0.0, 40.0}) sections.push_back(pick(spline(b, {{-60, y, 0.02 * y}, {-20, y, 9}, {20, y, 8}, {60, y, 0}})));
    const std::string skin = b.add("loft", {{"sections", sections}});
    const std::string ring = b.add("ring", {{"width", 30}, {"height", 30}, {"x", 10}});
    const std::string split = b.add("split", {{"body", picks({pick(skin)})}, {"by", picks({pick(ring)})}, {"into", "faces"}});
    b.run();
    VERIFY_STEP(b, split);
    const auto body = b.body(split);
    const bool firstIsDisc = inspect::stateOf(*body).areaMm2 > 0 && brep::signatureOf(*body, brep::PartKind::Face, 0).size < brep::signatureOf(*body, brep::PartKind::Face, 1).size;
    const std::string healed = b.add("delete_faces", {{"faces", picks({pick(split, "face", body->faceNames[firstIsDisc ? 0 : 1])})}, {"then", "healed"}});
    b.run();
    VERIFY_STEP(b, healed);
    QCOMPARE(inspect::stateOf(*b.body(healed)).faces, 1);
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body(healed)).areaMm2 - inspect::stateOf(*b.body(skin)).areaMm2), 0.01);
  }

  void facesThatDoNotMeetAreNotHealed() {
    Bench b = tumbler();
    b.run();
    std::string rim;
    for (const auto& n : b.body("s6")->faceNames)
      if (n.find(".rim") != std::string::npos) rim = n;
    b.add("delete_faces", {{"faces", picks({pick("s6", "face", rim)})}, {"then", "healed"}});
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-C051"));
    QCOMPARE(b.result("s7").problem->remedies.at(0).value, std::string("open"));
  }
};

static test::Register<DeleteFacesStepTest> registeredDeleteFacesStepTest;
#include "delete_faces_test.moc"
