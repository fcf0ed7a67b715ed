#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class OffsetCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void outlinesKeepTheirDistanceAllAround() {
    Bench b;
    b.add("ring", {{"shape", "rectangle"}, {"width", 60}, {"depth", 40}, {"radius", 8}});
    b.add("offset_curve", {{"curve", picks({pick("s1")})}, {"distance", 5}});
    b.add("offset_curve", {{"curve", picks({pick("s1")})}, {"distance", -12}});
    b.add("line", {{"points", pointList({{0, 0, 0}, {50, 0, 0}, {50, 40, 0}, {0, 40, 0}})}, {"closed", true}});
    b.add("offset_curve", {{"curve", picks({pick("s4")})}, {"distance", 6}, {"corners", "sharp"}});
    b.add("offset_curve", {{"curve", picks({pick("s4")})}, {"distance", 6}});
    b.run();
    for (const auto& [id, from, d] : {std::tuple{"s2", "s1", 5.0}, {"s3", "s1", 12.0}, {"s6", "s4", 6.0}}) {
      VERIFY_STEP(b, id);
      const auto& c = b.curve(id);
      QVERIFY(c.closed());
      for (int i = 0; i < 100; ++i)
        VERIFY_AT_MOST(std::abs(nurbs::closestPoint(b.curve(from), c.at(c.last() * i / 100)).distanceMm - d), 0.001);
    }
    VERIFY_AT_MOST(
        std::abs(nurbs::ArcLength(b.curve("s2")).total() - nurbs::ArcLength(b.curve("s1")).total() - 10 * kPi), 1e-4);
    VERIFY_STEP(b, "s5");
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(b.curve("s5")).total() - 2 * (62 + 52)), 1e-6);
    // Inwards beyond the corners' radius they are sharp.
    QCOMPARE(b.curve("s3").corners({1}).size(), size_t(4));
  }

  void freeFormsLoseTheirLoopsAndNarrowOnesFallApart() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 12, 0}, {60, 0, 0}, {90, 12, 0}, {120, 0, 0}})}});
    b.add("offset_curve", {{"curve", picks({pick("s1")})}, {"distance", -25}});
    b.add("spline", {{"points", pointList({{-50, -15, 0},
                                           {0, -3, 0},
                                           {50, -15, 0},
                                           {60, 0, 0},
                                           {50, 15, 0},
                                           {0, 3, 0},
                                           {-50, 15, 0},
                                           {-60, 0, 0}})},
                     {"closed", true}});
    b.add("offset_curve", {{"curve", picks({pick("s3")})}, {"distance", -5}});
    b.add("offset_curve", {{"curve", picks({pick("s3")})}, {"distance", -40}});
    b.run();
    VERIFY_STEP(b, "s2");
    VERIFY_STEP(b, "s4");
    for (const char* id : {"s2", "s4"})
      for (const auto& o : b.result(id).outcome->outputs) {
        const auto& c = *std::get<recipe::CurvePtr>(o.object);
        const double d = std::string(id) == "s2" ? 25 : 5;
        const auto& from = b.curve(std::string(id) == "s2" ? "s1" : "s3");
        for (int i = 1; i < 60; ++i) QVERIFY(nurbs::closestPoint(from, c.at(c.last() * i / 60)).distanceMm > d - 0.01);
      }
    VERIFY_STEP(b, "s4");
    QCOMPARE(b.result("s4").outcome->outputs.size(), size_t(2));
    QCOMPARE(b.code("s5"), std::string("LM-P052"));
  }
};

static test::Register<OffsetCurveStepTest> registeredOffsetCurveStepTest;
#include "offset_curve_test.moc"
