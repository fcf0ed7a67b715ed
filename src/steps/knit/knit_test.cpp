#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class KnitStepTest : public QObject {
  Q_OBJECT
  /// Two lofts one above the other that share a ring; ids s4 and s5.
  static Bench stacked(double lift = 0) {
    Bench b;
    b.add("ring", {{"width", 50}});
    b.add("ring", {{"width", 60}, {"height", 30}});
    b.add("ring", {{"width", 40}, {"height", 70}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 60}, {"height", 30 + lift}});
    b.add("loft", {{"sections", picks({pick("s5"), pick("s3")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s6")})}});
    b.run();
    return b;
  }

private slots:
  void skinsBecomeOneThatSaysWhereItIsOpen() {
    Bench b = stacked();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b4"));
    const auto s = inspect::stateOf(*b.body("s7"));
    QVERIFY(s.valid && !s.solid && s.openings.size() == 2);
    QCOMPARE(b.result("s7").outcome->notes.back().code, std::string("LM-B103"));
    QCOMPARE(b.result("s7").outcome->notes.back().where.size(), size_t(2));
    QCOMPARE(b.body("s7")->faceNames[0], std::string("s4.skin"));
    QVERIFY(std::find(b.body("s7")->edgeNames.begin(), b.body("s7")->edgeNames.end(), "s4.skin|s6.skin") !=
            b.body("s7")->edgeNames.end());
  }

  void gapsAreListedWhetherJoinedOrNot() {
    Bench b = stacked(0.004);
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-B101"));
    VERIFY_AT_MOST(std::abs(b.result("s7").outcome->notes[0].measured->value - 0.004), 0.001);
    Bench far = stacked(0.3);
    QCOMPARE(far.code("s7"), std::string("LM-B002"));
    VERIFY_AT_MOST(std::abs(far.result("s7").problem->measured->value - 0.3), 0.01);
    far.set("s7", "gap", 0.5);
    far.run();
    QVERIFY(far.code("s7") == "LM-K004" || far.result("s7").outcome->notes[0].code == "LM-B101");
  }

  void moreThanTwoFacesAlongAnEdgeAreRefused() {
    Bench b = stacked();
    b.add("ring", {{"width", 90}, {"height", 30}});
    b.add("loft", {{"sections", picks({pick("s2"), pick("s8")})}, {"degree", 1}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s6"), pick("s9")})}});
    b.run();
    QCOMPARE(b.code("s10"), std::string("LM-B001"));
    QVERIFY(b.result("s10").status == recipe::Status::Failed && !b.result("s10").problem->where.empty());
  }

  void skinsOnOneAnotherAndApartAreRefusedWithTheirPlace() {
    Bench b = stacked();
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("knit", {{"skins", picks({pick("s4"), pick("s8")})}});
    b.run();
    QCOMPARE(b.code("s9"), std::string("LM-B003"));
    QVERIFY(!b.result("s9").problem->where.empty());
  }
};

static test::Register<KnitStepTest> registeredKnitStepTest;
#include "knit_test.moc"
