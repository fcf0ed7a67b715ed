#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ShapeCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  static json row(int k, double x, double y, double z) {
    return {{"id", "c" + std::to_string(k)}, {"x", x}, {"y", y}, {"z", z}};
  }

  void movesAreAddedToTheControlPoints() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 10, 0}, {60, 5, 0}, {90, 20, 0}, {120, 0, 0}})}});
    b.add("shape_curve", {{"curve", picks({pick("s1")})}, {"moves", json::array({row(2, 0, 7, 1)})}});
    b.add("shape_curve", {{"curve", picks({pick("s1")})}, {"moves", json::array({row(2, 0, 7, 1)})}, {"falloff", 2}});
    b.run();
    const auto spline = [&](const char* id) { return std::get<nurbs::Spline>(b.curve(id).segments()[0]); };
    VERIFY_STEP(b, "s2");
    const auto before = spline("s1"), after = spline("s2"), soft = spline("s3");
    for (int i = 0; i < before.size(); ++i) {
      const Vec3 by = (after.points().row(i) - before.points().row(i)).transpose();
      VERIFY_AT_MOST((by - (i == 2 ? Vec3(0, 7, 1) : Vec3(0, 0, 0))).norm(), 1e-12);
    }
    QCOMPARE(b.result("s2").outcome->marks.all<recipe::Grip>().size(), size_t(before.size()));
    QVERIFY(b.result("s2").outcome->marks.all<recipe::Grip>()[2].moved && !b.result("s2").outcome->marks.all<recipe::Grip>()[1].moved);
    QVERIFY((soft.points().row(1) - before.points().row(1)).norm() > 1);
    // What comes before may change: the move stays.
    b.set("s1", "degree", 4);
    b.run();
    VERIFY_STEP(b, "s2");
  }

  void symmetricMovesAreMirrored() {
    Bench b;
    b.add("spline", {{"points", pointList({{-60, 0, 0}, {-30, 20, 0}, {0, 25, 0}, {30, 20, 0}, {60, 0, 0}})}});
    b.add("shape_curve", {{"curve", picks({pick("s1")})},
                          {"mirror", picks({pick("world", "plane", "side")})},
                          {"moves", json::array({row(1, 3, 5, 2)})}});
    b.run();
    VERIFY_STEP(b, "s2");
    const auto& c = b.curve("s2");
    for (int i = 0; i <= 10; ++i) {
      const Vec3 p = c.at(i / 10.0), q = c.at(1 - i / 10.0);
      VERIFY_AT_MOST((p - Vec3(-q.x(), q.y(), q.z())).norm(), 1e-9);
    }
    b.set("s2", "along", "normal");
    b.run();
    for (const auto& g : b.result("s2").outcome->marks.all<recipe::Grip>()) VERIFY_AT_MOST(std::abs(g.along.norm() - 1), 1e-9);
  }

  void whatDoesNotHoldIsNoted() {
    const auto codes = [](Bench& b, const char* id) {
      std::vector<std::string> out;
      for (const Problem& n : b.result(id).outcome->notes) out.push_back(n.code);
      return out;
    };
    Bench b;
    b.add("spline", {{"points", pointList({{-60, 0, 0}, {-30, 20, 0}, {0, 25, 0}, {30, 30, 0}, {60, 9, 0}})}});
    b.add("shape_curve", {{"curve", picks({pick("s1")})},
                          {"mirror", picks({pick("world", "plane", "side")})},
                          {"moves", json::array({row(4, 3, 5, 2), row(70, 1, 0, 0)})}});
    b.add("ring", {{"width", 60}});
    b.add("shape_curve", {{"curve", picks({pick("s3")})},
                          {"points", "new"},
                          {"spans", 8},
                          {"degree", 3},
                          {"moves", json::array({row(1, 4, 0, 0)})}});
    b.run();
    VERIFY_STEP(b, "s2");
    QCOMPARE(codes(b, "s2"), (std::vector<std::string>{"LM-P114", "LM-P115"}));
    // A closed spline's second control point alone takes its seam apart; its place is the seam.
    VERIFY_STEP(b, "s4");
    QCOMPARE(codes(b, "s4"), std::vector<std::string>{"LM-P116"});
    VERIFY_AT_MOST((b.result("s4").outcome->notes[0].where.at(0) - b.curve("s4").start()).norm(), 1e-9);
    // Far from the seam nothing opens.
    b.set("s4", "moves", json::array({row(4, 4, 0, 0)}));
    b.run();
    QVERIFY(codes(b, "s4").empty());
  }
};

static test::Register<ShapeCurveStepTest> registeredShapeCurveStepTest;
#include "shape_curve_test.moc"
