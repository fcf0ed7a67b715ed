#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class SplineStepTest : public QObject {
  Q_OBJECT
private slots:
  void splinesMeetTheirPointsAndDirections() {
    Bench b;
    const json pts = pointList({{0, 0, 0}, {30, 20, 0}, {60, 0, 10}, {90, 10, 0}});
    b.add("spline", {{"points", pts}, {"start", "direction"}, {"startAngle", 90}, {"startRise", 0}});
    b.add("spline", {{"points", pts}, {"plane", picks({pick("world", "plane", "front")})}});
    b.add("spline", {{"points", pts}, {"by", "control"}, {"degree", 2}, {"closed", true}});
    b.run();
    nurbs::CurveDerivatives d;
    b.curve("s1").derivatives(0, 1, d);
    VERIFY_AT_MOST(degFromRad(angleBetweenRad(d[1], {0, 1, 0})), 1e-9);
    VERIFY_AT_MOST((b.curve("s1").end() - Vec3(90, 10, 0)).norm(), 1e-12);
    VERIFY_AT_MOST((b.curve("s2").end() - Vec3(90, 0, 10)).norm(), 1e-12);
    for (int i = 0; i <= 20; ++i) VERIFY_AT_MOST(std::abs(b.curve("s2").at(i / 20.0).y()), 1e-12);
    QVERIFY(b.curve("s3").closed());
  }

  void badPointsAreNamed() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}})}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {5, 0, 0}, {5, 0, 0}})}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {1e300, 0, 0}})}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {5, 1, 0}})}});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-S010"));
    QCOMPARE(b.code("s2"), std::string("LM-G006"));
    QCOMPARE(b.code("s3"), std::string("LM-R010"));
    QCOMPARE(b.result("s4").outcome->notes[0].code, std::string("LM-S110"));
  }
};

static test::Register<SplineStepTest> registeredSplineStepTest;
#include "spline_test.moc"
