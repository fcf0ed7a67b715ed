#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/shapes.h"
#include "recipe/portion.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

/// Parts of curves as inputs.
class PortionTest : public QObject {
  Q_OBJECT

  /// A spline, a line across it, and a copy of a part of the spline (moved by nothing).
  static Bench part(const json& ends) {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 5}, {60, -10, 8}, {90, 10, 0}})}});
    b.add("line", {{"points", pointList({{45, -50, 6}, {45, 50, 6}})}});
    json p = pick("s1");
    p.update(ends);
    b.add("refit_curve", {{"curve", picks({p})}, {"way", "raise"}, {"degree", 3}, {"hide", false}});
    b.run();
    return b;
  }

private slots:
  void fractionsAreOfTheLengthAndMayBeExpressions() {
    Bench b = part({{"from", 0.25}, {"to", "1 - 1/4"}});
    VERIFY_STEP(b, "s3");
    const nurbs::ArcLength whole(b.curve("s1"));
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(b.curve("s3")).total() - 0.5 * whole.total()), 1e-5);
    VERIFY_AT_MOST((b.curve("s3").start() - b.curve("s1").at(whole.parameterAtFraction(0.25))).norm(), 1e-5);
    // The ends the wrong way round mean the same part.
    Bench turned = part({{"from", 0.75}, {"to", 0.25}});
    VERIFY_AT_MOST((turned.curve("s3").start() - b.curve("s3").start()).norm(), 1e-9);
    const auto& flags = b.result("s3").outcome->marks.all<recipe::Flag>();
    QCOMPARE(flags.size(), size_t(2));
    QCOMPARE(flags[0].key + flags[1].key, std::string("fromto"));
  }

  void planesAndPointsEndAPartAndItFollowsThem() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 5}, {60, -10, 8}, {90, 10, 0}})}});
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 20}});
    b.add("point", {{"x", 90}, {"y", 10}});
    json p = pick("s1");
    p["fromAt"] = picks({pick("s2")});
    p["toAt"] = picks({pick("s3")});
    b.add("ribbon", {{"curve", picks({p})}, {"way", "plane"}, {"plane", picks({pick("world", "plane", "top")})}});
    for (double x : {20.0, 50.0}) {
      b.set("s2", "distance", x);
      b.run();
      VERIFY_STEP(b, "s4");
      const auto& s = *b.body("s4")->natural.begin()->second.surface;
      VERIFY_AT_MOST(std::abs(s.at(0, 0).x() - x), 1e-9);
      VERIFY_AT_MOST((s.at(1, 0) - Vec3(90, 10, 0)).norm(), 1e-6);
    }
    // Off again: the step that the end needs is named as lost.
    b.set("s2", "distance", 500);
    b.run();
    QCOMPARE(b.code("s4"), std::string("LM-R050"));
    QVERIFY(!b.result("s4").problem->where.empty() && b.result("s4").problem->measured->value > 400);
    QCOMPARE(b.result("s4").problem->field, std::string("curve"));
  }

  void partsOfClosedCurvesMayRunThroughTheirStart() {
    const auto ring = std::make_shared<const nurbs::Path>(*nurbs::circle({}, 40));
    const auto p = recipe::portionOf(ring, {0.75, {}}, {0.25, {}}, {});
    VERIFY_OK(p);
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(*p->curve).total() - 20 * kPi), 1e-6);
    VERIFY_AT_MOST((p->curve->start() - Vec3(0, -20, 0)).norm(), 1e-6);
    for (const auto& s : p->curve->segments()) QVERIFY(std::holds_alternative<nurbs::EllipseArc>(s)); // still arcs
    QCOMPARE(recipe::portionOf(ring, {0.0, {}}, {1.0, {}}, {})->curve.get(), ring.get());
  }

  void ofSeveralCrossingsTheNearestToTheFractionCounts() {
    const auto ring = std::make_shared<const nurbs::Path>(*nurbs::circle({}, 40));
    const recipe::Object plane = recipe::PlaneObject{recipe::worldPlanes().back().second}; // x = 0: two places
    QCOMPARE(recipe::meetingPlaces(*ring, plane, {}).size(), size_t(2));
    for (double near : {0.2, 0.8})
      VERIFY_AT_MOST(std::abs(recipe::portionOf(ring, {near, plane}, {0.5, {}}, {})->from - (near < 0.5 ? 0.25 : 0.75)),
                     1e-6);
  }

  void nothingAndDamagedEndsAreRefused() {
    Bench none = part({{"from", 0.5}, {"to", 0.5}});
    QCOMPARE(none.code("s3"), std::string("LM-R051"));
    QVERIFY(!none.result("s3").problem->item.empty());
    Bench far = part({{"from", 1.5}});
    QCOMPARE(far.code("s3"), std::string("LM-R010"));
    Bench text = part({{"from", "no such name"}});
    QVERIFY(text.result("s3").status == recipe::Status::Failed);
    // The line that ends the part comes later in the recipe than its user: refused, not followed.
    Bench later;
    later.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 5}, {60, -10, 8}})}});
    json p = pick("s1");
    p["fromAt"] = picks({pick("s3")});
    later.add("refit_curve", {{"curve", picks({p})}});
    later.add("line", {{"points", pointList({{30, -50, 6}, {30, 50, 6}})}});
    later.run();
    QVERIFY(later.result("s2").status == recipe::Status::Failed);
  }

  void partsTravelInTheFile() {
    Bench b = part({{"from", 0.25}, {"to", "0.5"}, {"toAt", picks({pick("s2")})}});
    const auto again = recipe::fromText(recipe::toText(b.recipe));
    VERIFY_OK(again);
    QCOMPARE(*again->find("s3")->inputs, *b.recipe.find("s3")->inputs);
    QCOMPARE(recipe::referencesOf(*again->find("s3")), (std::vector<std::string>{"s1", "s2"}));
  }
};

static Register<PortionTest> registeredPortionTest;
#include "portion_test.moc"
