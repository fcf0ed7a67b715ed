#include "brep/curves_on.h"
#include "support/recipes.h"
#include <set>

using namespace lumsk;
using namespace lumsk::test;

class SectionCurvesStepTest : public QObject {
  Q_OBJECT
private slots:
  void stacksCutASkinWhereItIs() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 20}});
    b.add("section_curves", {{"skins", picks({pick("s5")})},
                             {"by", picks({pick("s7")})},
                             {"stack", "parallel"},
                             {"count", 4},
                             {"spacing", 25}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto& out = *b.result("s8").outcome;
    QCOMPARE(out.outputs.size(), size_t(4));
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    std::set<int> levels;
    for (const auto& o : out.outputs) {
      const auto& c = *std::get<recipe::CurvePtr>(o.object);
      QVERIFY(c.closed());
      levels.insert(int(std::lround(c.start().z())));
      for (int i = 0; i < 30; ++i) {
        const Vec3 p = c.at(c.last() * i / 30);
        VERIFY_AT_MOST(faces->nearest(p)->distanceMm, 0.0005);
        VERIFY_AT_MOST(std::abs(p.z() - std::lround(p.z())), 0.0005);
      }
    }
    QCOMPARE(levels, (std::set<int>{20, 45, 70, 95}));
    b.set("s8", "spacing", 60);
    b.run();
    QCOMPARE(b.result("s8").outcome->notes[0].code, std::string("LM-P106"));
  }

  void trimmedSkinsMeetWithinTheirBorders() {
    // The upper half of a tumbler, cut off at the side plane, meets a lofted sheet.
    Bench b = tumbler();
    b.add("trim", {{"body", picks({pick("s5")})}, {"by", picks({pick("world", "plane", "side")})}, {"keep", "front"}});
    b.add("line", {{"points", pointList({{-60, -60, 70}, {60, -60, 80}})}});
    b.add("line", {{"points", pointList({{-60, 60, 75}, {60, 60, 90}})}});
    b.add("loft", {{"sections", picks({pick("s8"), pick("s9")})}});
    b.add("section_curves", {{"skins", picks({pick("s7")})}, {"by", picks({pick("s10")})}});
    b.run();
    VERIFY_STEP(b, "s11");
    QCOMPARE(b.result("s11").outcome->outputs.size(), size_t(1));
    const auto& c = b.curve("s11");
    QVERIFY(!c.closed());
    VERIFY_AT_MOST(std::abs(c.start().x()), 1e-6);
    VERIFY_AT_MOST(std::abs(c.end().x()), 1e-6);
    for (int i = 0; i <= 20; ++i) QVERIFY(c.at(c.last() * i / 20).x() > -1e-6);
  }

  void cutsThatMissAreToldAndAskedFor() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 500}});
    b.add("section_curves", {{"skins", picks({pick("s5")})}, {"by", picks({pick("s7")})}});
    b.add("section_curves", {{"skins", picks({pick("s5")})}});
    b.add("line", {{"points", pointList({{0, 0, 30}, {0, 0, 90}})}});
    b.add("section_curves",
          {{"skins", picks({pick("s5")})}, {"stack", "along"}, {"along", picks({pick("s10")})}, {"count", 3}});
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-P030"));
    QCOMPARE(b.code("s9"), std::string("LM-P031"));
    VERIFY_STEP(b, "s11");
    QCOMPARE(b.result("s11").outcome->outputs.size(), size_t(3));
  }
};

static test::Register<SectionCurvesStepTest> registeredSectionCurvesStepTest;
#include "section_curves_test.moc"
