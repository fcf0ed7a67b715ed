#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class TrimStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSkinCutStraightAcrossStaysWholeAndCanBeThickened() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 80}});
    b.add("trim", {{"body", picks({pick("s5")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.add("thicken", {{"skin", picks({pick("s8")})}, {"thickness", 2}});
    b.recipe = b.recipe.without("s6");
    b.run();
    VERIFY_STEP(b, "s8");
    VERIFY_STEP(b, "s9");
    const auto s = inspect::stateOf(*b.body("s9"));
    QVERIFY(s.solid && s.valid);
    VERIFY_AT_MOST(std::abs(s.boxHigh.z() - 80), 1e-4);
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    QCOMPARE(b.result("s8").outcome->marks.all<recipe::Region>().size(), size_t(2));
  }

  void aSolidIsClosedWhereItIsCutAndKeepsItsNames() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "front"}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s8");
    VERIFY_STEP(b, "s9");
    double sum = 0;
    for (const char* id : {"s8", "s9"}) {
      const auto s = inspect::stateOf(*b.body(id));
      QVERIFY(s.solid && s.valid && s.openEdges == 0);
      sum += s.volumeMm3;
      const auto& names = b.body(id)->faceNames;
      QVERIFY(std::find(names.begin(), names.end(), "s6.front(s5.skin)") != names.end());
      QVERIFY(std::find(names.begin(), names.end(), std::string(id) + ".cut") != names.end());
    }
    VERIFY_AT_MOST(std::abs(sum / inspect::stateOf(*b.body("s6")).volumeMm3 - 1), 1e-5);
  }

  void aSideThatFallsApartGivesSeveralBodies() {
    Bench b; // a waisted vessel lying down: a level cut leaves two humps
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 0}});
    for (double x : {0.0, 40.0, 80.0}) {
      b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", x}});
      b.add("ring", {{"width", x == 40 ? 20 : 60}, {"plane", picks({pick("s" + std::to_string(b.recipe.lastId))})}});
    }
    b.add("loft", {{"sections", picks({pick("s3"), pick("s5"), pick("s7")})}});
    b.add("plane", {{"distance", 16}});
    b.add("trim", {{"body", picks({pick("s8")})}, {"by", picks({pick("s9")})}, {"keep", "front"}});
    b.run();
    VERIFY_STEP(b, "s10");
    QCOMPARE(b.model->bodies.size(), size_t(2));
    QCOMPARE(b.model->bodies[0].id, std::string("b8"));
    QCOMPARE(b.model->bodies[1].id, std::string("b10.2"));
    QCOMPARE(b.result("s10").outcome->notes[0].code, std::string("LM-C101"));
    // The second piece can be picked.
    b.add("move", {{"what", picks({pick("s10", "skin", "2")})}, {"z", 5}});
    b.run();
    VERIFY_STEP(b, "s11");
    QCOMPARE(b.model->bodies.size(), size_t(2));
  }

  void planesBesideTheBodyAreRefusedWithTheirDistance() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 130}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "front"}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-C001"));
    QCOMPARE(b.code("s9"), std::string("LM-C001"));
    VERIFY_AT_MOST(std::abs(b.result("s8").problem->measured->value - 20), 0.01);
  }
};

static test::Register<TrimStepTest> registeredTrimStepTest;
#include "trim_test.moc"
