#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class RoundCornersStepTest : public QObject {
  Q_OBJECT
private slots:
  void everyCornerGetsATangentArc() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {40, 0, 0}, {40, 30, 0}, {70, 50, 20}})}});
    b.add("round_corners", {{"curve", picks({pick("s1")})}, {"radius", 6}});
    b.add("arc", {{"radius", 30}, {"from", 0}, {"to", 90}});
    b.add("line", {{"points", pointList({{0, 30, 0}, {0, 60, 0}})}});
    b.add("join_curves", {{"curves", picks({pick("s3"), pick("s4")})}});
    b.add("round_corners", {{"curve", picks({pick("s5")})}, {"radius", 4}});
    b.add("round_corners", {{"curve", picks({pick("s1")})}, {"radius", 60}});
    b.add("round_corners", {{"curve", picks({pick("s3")})}});
    b.run();
    for (const auto& [id, r, n] : {std::tuple{"s2", 6.0, 2}, {"s6", 4.0, 1}}) {
      VERIFY_STEP(b, id);
      const auto& c = b.curve(id);
      QVERIFY(c.corners({0.01}).empty());
      int arcs = 0;
      for (const auto& s : c.segments())
        if (const auto* a = std::get_if<nurbs::EllipseArc>(&s); a && std::abs(a->u.norm() - r) < 1e-9) ++arcs;
      QCOMPARE(arcs, n);
    }
    QCOMPARE(b.code("s7"), std::string("LM-P054"));
    QVERIFY(!b.result("s7").problem->where.empty());
    QCOMPARE(b.code("s8"), std::string("LM-P053"));
  }
};

static test::Register<RoundCornersStepTest> registeredRoundCornersStepTest;
#include "round_corners_test.moc"
