#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Three lines, a skin through them 120 by 80 mm, ids s1 to s4.
Bench tray() {
  Bench b;
  for (double y : {-40.0, 0.0, 40.0}) spline(b, {{-60, y, 0.1 * y}, {-20, y, 8}, {20, y, 9 - 0.05 * y}, {60, y, 0}});
  b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
  return b;
}

/// Largest difference of two bodies of one untrimmed face each, at their control points; 1e300 where they are not alike.
double apart(const brep::BodyPtr& a, const brep::BodyPtr& b) {
  if (a->natural.size() != 1 || b->natural.size() != 1) return 1e300;
  const Points &p = a->natural.begin()->second.surface->grid(), &q = b->natural.begin()->second.surface->grid();
  return p.rows() == q.rows() ? (p - q).cwiseAbs().maxCoeff() : 1e300;
}

int edgeWith(const brep::BodyPtr& b, const std::string& words) {
  for (size_t i = 0; i < b->edgeNames.size(); ++i)
    if (b->edgeNames[i].find(words) != std::string::npos) return int(i);
  return -1;
}

} // namespace

class RestoreStepTest : public QObject {
  Q_OBJECT
private slots:
  void aHoleAndACutEdgeComeBackExactly() {
    Bench b = tray();
    b.add("ring", {{"width", 24}, {"height", 30}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 41}});
    b.add("trim", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7")})}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s8");
    const auto cut = b.body("s8");
    const double whole = inspect::stateOf(*b.body("s4")).areaMm2;
    // The hole alone: the straight cut stays.
    const int hole = edgeWith(cut, "cut:" + b.recipe.find("s6")->inputs->at("by")[0]["id"].get<std::string>());
    QVERIFY(hole >= 0);
    b.add("restore", {{"what", picks({pick("s8", "edge", cut->edgeNames[size_t(hole)])})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto some = inspect::stateOf(*b.body("s9"));
    QVERIFY(some.valid && some.areaMm2 < whole - 100 && some.openings.size() == 1);
    // The rest: as it was before any cut.
    const int line = edgeWith(b.body("s9"), "cut:");
    QVERIFY(line >= 0);
    b.add("restore", {{"what", picks({pick("s9", "edge", b.body("s9")->edgeNames[size_t(line)])})}});
    b.run();
    VERIFY_STEP(b, "s10");
    QCOMPARE(apart(b.body("s10"), b.body("s4")), 0.0);
    // And both at once, by the skin.
    b.add("restore", {{"what", picks({pick("s8")})}});
    b.recipe = b.recipe.without("s10").without("s9");
    b.run();
    VERIFY_STEP(b, "s11");
    QCOMPARE(apart(b.body("s11"), b.body("s4")), 0.0);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b4"));
  }

  void oneOfTwoCutsGoesAndTheOtherRunsOn() {
    Bench b = tray();
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 30}});
    b.add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", 15}});
    const auto by = picks({pick("s5"), pick("s6")});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", by}, {"keep", "back"}});
    b.run();
    VERIFY_STEP(b, "s7");
    const int edge = edgeWith(b.body("s7"), "cut:" + by[0]["id"].get<std::string>());
    QVERIFY(edge >= 0 && edgeWith(b.body("s7"), "cut:" + by[1]["id"].get<std::string>()) >= 0);
    b.add("restore", {{"what", picks({pick("s7", "edge", b.body("s7")->edgeNames[size_t(edge)])})}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s6")})}, {"keep", "back"}});
    b.recipe = b.recipe.without("s9");
    b.run();
    VERIFY_STEP(b, "s8");
    const auto now = inspect::stateOf(*b.body("s8"));
    const double before = inspect::stateOf(*b.body("s7")).areaMm2, whole = inspect::stateOf(*b.body("s4")).areaMm2;
    QVERIFY(now.valid && now.areaMm2 > before + 100 && now.areaMm2 < whole - 100);
    QVERIFY(edgeWith(b.body("s8"), "cut:" + by[1]["id"].get<std::string>()) >= 0); // its name stays
  }

  /// A cut straight across makes a smaller skin without trims; it knows what it was, wherever it is moved.
  void aStraightCutIsTakenBackToo() {
    for (const bool moves : {false, true}) {
      Bench b = tray();
      b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 25}});
      b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
      b.add("move", {{"what", picks({pick("s6")})}, {"x", moves ? 40 : 0}, {"turn", moves ? 30 : 0}});
      b.add("restore", {{"what", picks({pick("s7")})}});
      b.run();
      VERIFY_STEP(b, "s6");
      QCOMPARE(b.body("s6")->natural.size(), size_t(1));
      VERIFY_STEP(b, "s8");
      QCOMPARE(apart(b.body("s8"), b.body("s4")) > 1, moves);
      const double area = inspect::stateOf(*b.body("s4")).areaMm2;
      VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s8")).areaMm2 / area - 1), 1e-9);
    }
  }

  /// Nothing that was picked is given up without a word, and an edge that stays keeps its name.
  void whatStaysAndWhatCannotGoIsTold() {
    Bench b = tray();
    b.add("ring", {{"width", 24}, {"height", 30}});
    b.add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s5")})}, {"keep", "back"}});
    b.run();
    const auto cut = b.body("s6");
    const std::string hole = cut->edgeNames[size_t(edgeWith(cut, "cut:"))];
    std::string own;
    for (size_t i = 0; i < cut->edgeNames.size(); ++i)
      if (cut->edgeNames[i] != hole) own = cut->edgeNames[i];
    b.add("restore", {{"what", picks({pick("s6", "edge", hole), pick("s6", "edge", own)})}});
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->notes.size(), size_t(1));
    QCOMPARE(b.result("s7").outcome->notes[0].code, std::string("LM-C108"));
    QVERIFY(!b.result("s7").outcome->notes[0].where.empty());
    QCOMPARE(apart(b.body("s7"), b.body("s4")), 0.0);
  }

  void whatIsNotTrimmedIsTold() {
    Bench b = tray();
    b.run();
    b.add("restore", {{"what", picks({pick("s4", "edge", b.body("s4")->edgeNames[0])})}});
    b.run();
    QCOMPARE(b.code("s5"), std::string("LM-C020"));
    QVERIFY(!b.result("s5").problem->where.empty());
    Bench c = tumbler();
    c.run();
    c.add("restore", {{"what", picks({pick("s6", "edge", c.body("s6")->edgeNames[0])})}});
    c.run();
    QCOMPARE(c.code("s7"), std::string("LM-C021"));
  }
};

static test::Register<RestoreStepTest> registeredRestoreStepTest;
#include "restore_test.moc"
