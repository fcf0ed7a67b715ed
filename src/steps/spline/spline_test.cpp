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
    b.add("spline", {{"points", pointList({{0, 0, 0}, {5, 1, 0}})}, {"degree", 5}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {5, 1, 0}, {9, 0, 0}})}});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-S010"));
    QCOMPARE(b.code("s2"), std::string("LM-G006"));
    QCOMPARE(b.code("s3"), std::string("LM-R010"));
    QCOMPARE(b.result("s4").outcome->notes[0].code, std::string("LM-S110"));
    QVERIFY(b.result("s5").outcome->notes.empty()); // nobody asked for more than three points can have
  }

  void endsInAMirrorPlaneAreSquareOrSmoothWithTheirImage() {
    for (const char* how : {"perpendicular", "g3"})
      for (bool both : {false, true}) {
        Bench b;
        b.add("spline", {{"points", pointList({{0, -40, 5}, {26, -25, 5}, {33, 4, 8}, {20, 28, 9}, {0, 36, 5}})},
                         {"start", how},
                         {"end", both ? how : "free"}});
        b.run();
        VERIFY_STEP(b, "s1");
        const auto& c = b.curve("s1");
        for (double t : {0.0, 1.0}) {
          if (t > 0 && !both) continue;
          nurbs::CurveDerivatives d;
          c.derivatives(t, 3, d);
          VERIFY_AT_MOST(std::abs(d[0].x()), 1e-9);
          VERIFY_AT_MOST(std::hypot(d[1].y(), d[1].z()), 1e-7 * d[1].norm());
          if (std::string(how) != "g3") continue;
          // Even to third order: no second derivative along the normal, no third one in the plane.
          VERIFY_AT_MOST(std::abs(d[2].x()), 1e-6 * d[2].norm());
          VERIFY_AT_MOST(std::hypot(d[3].y(), d[3].z()), 1e-6 * d[3].norm() + 1e-6 * d[2].norm());
        }
      }
    Bench off;
    off.add("spline", {{"points", pointList({{1, -40, 5}, {26, -25, 5}, {33, 4, 8}})}, {"start", "g3"}});
    off.run();
    QCOMPARE(off.code("s1"), std::string("LM-G012"));
  }
};

static test::Register<SplineStepTest> registeredSplineStepTest;
#include "spline_test.moc"
