#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ExtendCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void everyWayAddsItsLengthAndItsContinuity() {
    for (const char* how : {"natural", "straight", "curvature"}) {
      Bench b;
      b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 5}, {60, 25, 10}, {90, 10, 5}})}});
      b.add("extend_curve", {{"curve", picks({pick("s1")})}, {"how", how}, {"length", 15}, {"end", "both"}});
      b.run();
      VERIFY_STEP(b, "s2");
      VERIFY_AT_MOST(std::abs(nurbs::ArcLength(b.curve("s2")).total() - nurbs::ArcLength(b.curve("s1")).total() - 30),
                     0.05);
      const auto& c = b.curve("s2");
      for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST(nurbs::closestPoint(c, b.curve("s1").at(i / 20.0)).distanceMm, 1e-6);
      if (std::string(how) == "natural") QCOMPARE(c.segments().size(), size_t(1));
      for (int k = 1; k < int(c.segments().size()); ++k) {
        nurbs::CurveDerivatives a, d;
        c.derivatives(std::nextafter(double(k), 0.0), 2, a);
        c.derivatives(k, 2, d);
        VERIFY_AT_MOST(angleBetweenRad(a[1], d[1]), 1e-7);
        if (std::string(how) == "curvature") VERIFY_AT_MOST(std::abs(nurbs::curvature(a) - nurbs::curvature(d)), 1e-7);
      }
    }
  }

  void linesAndArcsStayThemselvesAndPlanesStop() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {30, 0, 0}})}});
    b.add("arc", {{"radius", 20}, {"from", 0}, {"to", 90}});
    b.add("extend_curve", {{"curve", picks({pick("s2")})}, {"length", 20 * kPi / 2}});
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 47}});
    b.add("extend_curve", {{"curve", picks({pick("s1")})}, {"by", "upTo"}, {"to", picks({pick("s4")})}});
    b.add("extend_curve", {{"curve", picks({pick("s2")})}, {"length", 500}});
    b.run();
    VERIFY_STEP(b, "s3");
    const auto* arc = std::get_if<nurbs::EllipseArc>(&b.curve("s3").segments()[0]);
    QVERIFY(arc);
    VERIFY_AT_MOST(std::abs(degFromRad(arc->toRad) - 180), 1e-6);
    VERIFY_STEP(b, "s5");
    VERIFY_AT_MOST((b.curve("s5").end() - Vec3(47, 0, 0)).norm(), 1e-6);
    QCOMPARE(b.code("s6"), std::string("LM-P046"));
  }
};

static test::Register<ExtendCurveStepTest> registeredExtendCurveStepTest;
#include "extend_curve_test.moc"
