#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class MeasureTest : public QObject {
  Q_OBJECT
  static double value(Bench& b, const std::string& id, const std::string& name = "m") {
    const auto& r = b.result(id);
    if (!r.outcome || !r.outcome->measured.count(name)) return std::nan("");
    return r.outcome->measured.at(name).value;
  }
  static std::string measured(Bench& b, const std::string& what, json of, const std::string& name = "m") {
    return b.add("measure", {{"what", what}, {"of", std::move(of)}, {"name", name}});
  }

private slots:
  void distancesBetweenPointsCurvesAndPlanesAreTrue() {
    Bench b;
    b.add("point", {{"x", 3}, {"y", 4}, {"z", 0}});
    b.add("ring", {{"width", 20}, {"height", 12}});
    const auto two = measured(b, "distance", picks({pick("s1"), pick("world", "point", "origin")}), "a");
    const auto ring = measured(b, "distance", picks({pick("s1"), pick("s2")}), "c");
    const auto plane = measured(b, "distance", picks({pick("s2"), pick("world", "plane", "top")}), "d");
    const auto touch = measured(b, "distance", picks({pick("s2"), pick("world", "plane", "side")}), "f");
    b.run();
    for (const auto& id : {two, ring, plane, touch}) VERIFY_STEP(b, id);
    VERIFY_AT_MOST(std::abs(value(b, two, "a") - 5), 1e-12);
    VERIFY_AT_MOST(std::abs(value(b, ring, "c") - 13), 1e-9); // 5 inwards, 12 up
    VERIFY_AT_MOST(std::abs(value(b, plane, "d") - 12), 1e-9);
    VERIFY_AT_MOST(value(b, touch, "f"), 1e-9);
    QVERIFY(b.result(touch).outcome->outputs.empty());
    // A line shows where they come nearest.
    const auto& line = b.curve(ring);
    VERIFY_AT_MOST((line.start() - Vec3(3, 4, 0)).norm(), 1e-9);
    VERIFY_AT_MOST(std::abs(line.end().head<2>().norm() - 10), 1e-9);
  }

  void aPickOfAStepMeansAllItsCurves() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {60, 0, 0}})}});
    for (int x : {15, 30, 45}) b.add("point", {{"x", x}});
    b.add("split_curve", {{"curve", picks({pick("s1")})}, {"by", picks({pick("s2"), pick("s3"), pick("s4")})}});
    const auto all = measured(b, "length", picks({pick("s5", "curve")}), "a");
    const auto first = measured(b, "length", picks({pick("s5", "curve", "1")}), "b");
    const auto third = measured(b, "length", picks({pick("s5", "curve", "3")}), "c");
    const auto two = measured(b, "length", picks({pick("s5", "curve"), pick("s5", "curve", "3")}), "d");
    // Where there is no room for all, the first counts, and it is said.
    const auto plane = b.add("plane", {{"way", "square"}, {"curve", picks({pick("s5", "curve")})}, {"fraction", 0}});
    b.run();
    for (const auto& id : {all, first, third, two}) VERIFY_STEP(b, id);
    VERIFY_AT_MOST(std::abs(value(b, all, "a") - 60), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, first, "b") - 15), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, third, "c") - 15), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, two, "d") - 30), 1e-9);
    VERIFY_STEP(b, plane);
    QCOMPARE(b.result(plane).outcome->notes.front().code, std::string("LM-R102"));
    // Another one of them is another input.
    b.set(plane, "curve", picks({pick("s5", "curve", "4")}));
    b.run();
    QVERIFY(b.result(plane).outcome->notes.empty());
    VERIFY_AT_MOST((b.frame(plane).origin - Vec3(45, 0, 0)).norm(), 1e-9);
  }

  void anglesRadiiAndLengths() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {10, 0, 10}})}});
    b.add("ring", {{"width", 24}, {"height", 0}});
    b.add("ring", {{"shape", "ellipse"}, {"width", 30}, {"depth", 20}, {"height", 0}});
    const auto angle = measured(b, "angle", picks({pick("s1"), pick("world", "plane", "top")}), "a");
    const auto planes =
        measured(b, "angle", picks({pick("world", "plane", "top"), pick("world", "plane", "front")}), "p");
    const auto radius = measured(b, "radius", picks({pick("s2")}), "r");
    const auto tight = measured(b, "radius", picks({pick("s3")}), "t");
    const auto length = measured(b, "length", picks({pick("s1"), pick("s2")}), "l");
    const auto bad = measured(b, "angle", picks({pick("s1"), pick("s2")}), "x");
    b.run();
    VERIFY_AT_MOST(std::abs(value(b, angle, "a") - 45), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, planes, "p") - 90), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, radius, "r") - 12), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, tight, "t") - 100.0 / 15), 1e-3); // b^2 / a of an ellipse
    VERIFY_AT_MOST(std::abs(value(b, length, "l") - std::sqrt(200.0) - 24 * kPi), 1e-4);
    QCOMPARE(b.code(bad), std::string("LM-Q012"));
  }

  void bodiesAreMeasuredAndTheirNumbersDriveLaterSteps() {
    Bench b = tumbler();
    const auto volume = measured(b, "volume", picks({pick("s6")}), "v");
    const auto area = measured(b, "area", picks({pick("s6")}), "a");
    const auto centre = measured(b, "centre", picks({pick("s6")}), "c");
    const auto ring = b.add("ring", {{"width", "c_z + 10 mm"}, {"height", "v / a"}});
    b.run();
    for (const auto& id : {volume, area, centre, ring}) VERIFY_STEP(b, id);
    const auto state = inspect::stateOf(*b.body("s6"));
    VERIFY_AT_MOST(std::abs(value(b, volume, "v") / state.volumeMm3 - 1), 1e-9);
    VERIFY_AT_MOST(std::abs(value(b, area, "a") / state.areaMm2 - 1), 1e-9);
    VERIFY_AT_MOST(std::hypot(value(b, centre, "c_x"), value(b, centre, "c_y")), 1e-4); // it is round
    const double z = value(b, centre, "c_z");
    QVERIFY(z > 40 && z < 70);
    const auto* circle = b.curve(ring).wholeEllipse();
    QVERIFY(circle);
    VERIFY_AT_MOST(std::abs(circle->u.norm() - 0.5 * (z + 10)), 1e-9);
    // It follows what is before it.
    b.set("s6", "thickness", "3");
    const double before = value(b, volume, "v");
    b.run();
    QVERIFY(value(b, volume, "v") > 1.3 * before);
  }

  void theClearanceOfTwoBodiesIsTrue() {
    Bench b;
    for (double z : {0.0, 20.0, 33.0, 50.0}) b.add("ring", {{"width", 40}, {"height", z}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("loft", {{"sections", picks({pick("s3"), pick("s4")})}});
    const auto c = measured(b, "clearance", picks({pick("s5"), pick("s6")}), "c");
    const auto self = measured(b, "clearance", picks({pick("s5"), pick("s5")}), "d");
    b.run();
    VERIFY_STEP(b, c);
    VERIFY_AT_MOST(std::abs(value(b, c, "c") - 13), 1e-6);
    VERIFY_AT_MOST(value(b, self, "d"), 1e-9);
  }

  void wrongPicksAreNamed() {
    Bench b = tumbler();
    const auto one = measured(b, "distance", picks({pick("s6")}), "a");
    const auto skin = measured(b, "volume", picks({pick("s2")}), "c");
    const auto plane = measured(b, "length", picks({pick("world", "plane", "top")}), "d");
    const auto taken = measured(b, "area", picks({pick("s6")}), "d");
    b.run();
    QCOMPARE(b.code(one), std::string("LM-Q010"));
    QCOMPARE(b.code(skin), std::string("LM-Q011"));
    QCOMPARE(b.code(plane), std::string("LM-Q011"));
    QVERIFY(!b.result(plane).problem->item.empty());
    QCOMPARE(b.code(taken), std::string("LM-R025"));
  }
};

static test::Register<MeasureTest> registeredMeasureTest;
#include "measure_test.moc"
