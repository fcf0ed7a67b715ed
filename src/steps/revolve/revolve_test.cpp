#include "brep/names.h"
#include "brep/skin.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class RevolveStepTest : public QObject {
  Q_OBJECT

private slots:
  void profilesOfAllKindsCloseToSolids() {
    Bench b;
    const double whole = kPi * 100 * 12;
    // A rectangle beside the axis, one with a side on it, and what is left of it.
    const auto tube = polyline(b, {{6, 0, 0}, {10, 0, 0}, {10, 0, 12}, {6, 0, 12}, {6, 0, 0}});
    const auto rod = polyline(b, {{0, 0, 0}, {10, 0, 0}, {10, 0, 12}, {0, 0, 12}, {0, 0, 0}});
    const auto open = polyline(b, {{0, 0, 0}, {10, 0, 0}, {10, 0, 12}, {0, 0, 12}});
    const auto wall = polyline(b, {{10, 0, 0}, {10, 0, 12}});
    for (const double angle : {360.0, 90.0, -250.0}) {
      for (const auto& [profile, part] : std::vector<std::pair<std::string, double>>{{tube, 0.64}, {rod, 1.0}, {open, 1.0}, {wall, 1.0}}) {
        const auto made = b.add("revolve", {{"sections", picks({pick(profile)})}, {"angle", angle}, {"solid", true}});
        b.run();
        if (profile == wall && angle != 360) {
          QCOMPARE(b.code(made), std::string("LM-L034"));
          continue;
        }
        VERIFY_STEP(b, made);
        QVERIFY(b.body(made)->solid());
        VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (whole * part * std::abs(angle) / 360) - 1), 1e-4);
      }
    }
  }

  void ringsWithinRingsAreHollow() {
    Bench b;
    const auto outer = b.add("ring", {{"width", 12}, {"height", 0}, {"plane", picks({pick("world", "plane", "front")})}});
    const auto inner = b.add("ring", {{"width", 6}, {"height", 0}, {"plane", picks({pick("world", "plane", "front")})}});
    const auto axis = polyline(b, {{20, 0, 0}, {20, 0, 10}});
    const auto made = b.add("revolve", {{"sections", picks({pick(outer), pick(inner)})}, {"axis", picks({pick(axis)})}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (2 * kPi * 20 * kPi * (36 - 9)) - 1), 1e-4);
    b.set(made, "angle", 120);
    b.run();
    VERIFY_STEP(b, made);
    VERIFY_AT_MOST(std::abs(volume(b.body(made)) / (2 * kPi * 20 * kPi * (36 - 9) / 3) - 1), 1e-4);
  }

  void aSplineBecomesASkinThatStaysOnItsCircles() {
    Bench b;
    const auto profile = b.add("spline", {{"points", pointList({{30, 0, 0}, {22, 4, 20}, {26, 0, 45}, {0, 0, 60}})}});
    const auto axis = polyline(b, {{0, 0, -5}, {0, 0, 5}});
    const auto made = b.add("revolve", {{"sections", picks({pick(profile)})}, {"axis", picks({pick(axis)})}});
    b.run();
    VERIFY_STEP(b, made);
    QCOMPARE(int(b.body(made)->faceNames.size()), 1);
    const nurbs::Surface& s = *b.body(made)->natural.begin()->second.surface;
    const auto& c = b.curve(profile);
    for (int i = 0; i <= 60; ++i)
      for (int j = 0; j <= 20; ++j) {
        const Vec3 p = s.at(i / 60.0, s.firstV() + (s.lastV() - s.firstV()) * j / 20), q = c.at(j / 20.0);
        VERIFY_AT_MOST(std::abs(p.z() - q.z()) + std::abs(p.head<2>().norm() - q.head<2>().norm()), 0.001);
      }
    // The front is the outside.
    const auto& natural = b.body(made)->natural.begin()->second;
    const double v = 0.5 * (s.firstV() + s.lastV());
    QVERIFY((natural.reversed ? -1 : 1) * s.normal(0.2, v).dot(Vec3(s.at(0.2, v).x(), s.at(0.2, v).y(), 0)) > 0);
  }

  void aLineWithAWallBecomesAShell() {
    Bench b;
    const auto line = polyline(b, {{20, 0, 0}, {20, 0, 30}});
    const auto shell = b.add("revolve", {{"sections", picks({pick(line)})}, {"wall", "middle"}, {"left", 4}, {"solid", true}});
    b.run();
    VERIFY_STEP(b, shell);
    VERIFY_AT_MOST(std::abs(volume(b.body(shell)) / (kPi * (22 * 22 - 18 * 18) * 30) - 1), 1e-4);
  }

  void whatMeetsTheAxisIsTold() {
    Bench b;
    const auto crosses = b.add("spline", {{"points", pointList({{-10, 0, 0}, {5, 0, 10}, {12, 0, 30}})}});
    const auto on = polyline(b, {{0, 0, 0}, {0, 0, 10}});
    const auto circle = b.add("ring", {{"width", 12}, {"height", 0}});
    const auto a = b.add("revolve", {{"sections", picks({pick(crosses)})}});
    const auto o = b.add("revolve", {{"sections", picks({pick(on)})}});
    const auto c = b.add("revolve", {{"sections", picks({pick(circle)})}});
    const auto n = b.add("revolve", {{"sections", picks({pick(crosses)})}, {"angle", 0}});
    b.run();
    QCOMPARE(b.code(a), std::string("LM-X005"));
    QCOMPARE(b.code(o), std::string("LM-X005"));
    QCOMPARE(b.code(c), std::string("LM-X006"));
    QCOMPARE(b.code(n), std::string("LM-X001"));
  }
};

static test::Register<RevolveStepTest> registeredRevolveStepTest;
#include "revolve_test.moc"
