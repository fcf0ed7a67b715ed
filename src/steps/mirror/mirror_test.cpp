#include "inspect/mirror_plane.h"
#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class MirrorStepTest : public QObject {
  Q_OBJECT
private slots:
  void aG3HalfAndItsImageAreOneFormWithoutATrace() {
    Bench b = halfVessel();
    for (const char* side : {"start", "end"}) b.set("s7", side, "g3");
    b.add("mirror", {{"what", picks({pick("s7")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    QVERIFY2(b.result("s8").outcome->notes.empty(),
             b.result("s8").outcome->notes.empty() ? "" : b.result("s8").outcome->notes[0].code.c_str());
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b7"));
    const auto state = inspect::stateOf(*b.body("s8"));
    QVERIFY(state.valid && !state.solid);
    QCOMPARE(state.faces, 2);
    QCOMPARE(state.openings.size(), size_t(2));
    const auto joins = inspect::joins(*b.body("s8"), {});
    QCOMPARE(joins.size(), size_t(2));
    for (const auto& j : joins) {
      VERIFY_AT_MOST(j.gapMm, 0.001);
      VERIFY_AT_MOST(j.angleDeg, 0.01);
      VERIFY_AT_MOST(j.curvatureRel, 0.01);
    }
    for (const auto& e : inspect::atPlane(*b.body("s7"), recipe::worldPlanes()[2].second, 0.01))
      VERIFY_AT_MOST(e.curvatureRate, 0.01);
  }

  void aMergedSeamLeavesOneClosedFace() {
    Bench b = halfVessel();
    for (const char* side : {"start", "end"}) b.set("s7", side, "g3");
    b.add("mirror", {{"what", picks({pick("s7")})}, {"merge", true}});
    b.run();
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.body("s8")->faceNames.size(), size_t(1));
    QCOMPARE(inspect::stateOf(*b.body("s8")).openings.size(), size_t(2));
    for (const auto& j : inspect::joins(*b.body("s8"), {})) VERIFY_AT_MOST(j.angleDeg, 0.001);
  }

  void whatWouldShowIsNotedWithARemedyInTheStepBefore() {
    Bench b = halfVessel();
    b.add("mirror", {{"what", picks({pick("s7")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto& notes = b.result("s8").outcome->notes;
    QVERIFY(!notes.empty());
    for (const auto& n : notes) {
      QVERIFY(!n.where.empty());
      QCOMPARE(n.remedies.size(), size_t(1));
      QCOMPARE(n.remedies[0].step, std::string("s7"));
    }
    const auto all = notes;
    for (const auto& n : all) b.set(n.remedies[0].step, n.remedies[0].field, n.remedies[0].value);
    b.run();
    VERIFY_STEP(b, "s8");
    for (const auto& n : b.result("s8").outcome->notes) QVERIFY(n.code != "LM-M102");
  }

  void halvesOnBothSidesOrOffThePlaneAreRefused() {
    Bench b = halfVessel();
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 5}});
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", -5}});
    b.add("mirror", {{"what", picks({pick("s7")})}, {"plane", picks({pick("s8")})}});
    b.add("mirror", {{"what", picks({pick("s7")})}, {"plane", picks({pick("s9")})}});
    b.add("mirror", {{"what", picks({pick("s7")})}, {"plane", picks({pick("s9")})}, {"keep", "copy"}});
    b.run();
    QCOMPARE(b.code("s10"), std::string("LM-M001"));
    QCOMPARE(b.code("s11"), std::string("LM-M002"));
    VERIFY_AT_MOST(std::abs(b.result("s11").problem->measured->value - 5), 0.001);
    VERIFY_STEP(b, "s12");
    QCOMPARE(b.model->bodies.size(), size_t(2));
  }

  void curvesJoinTheirImage() {
    Bench b = halfVessel();
    b.add("mirror", {{"what", picks({pick("s1")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    QVERIFY(b.curve("s8").closed() && b.curve("s8").corners({0.1}).empty());
  }
};

static test::Register<MirrorStepTest> registeredMirrorStepTest;
#include "mirror_test.moc"
