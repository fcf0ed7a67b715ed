#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class BlendCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  static Bench twoSplines() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {20, 5, 4}, {40, 0, 10}})}});
    b.add("spline", {{"points", pointList({{80, 20, 30}, {100, 25, 32}, {125, 20, 30}})}});
    return b;
  }

  void theNearerEndsAreJoinedWithEqualCurvature() {
    Bench b = twoSplines();
    b.add("blend_curve", {{"ends", picks({pick("s1"), pick("s2")})}, {"start", "g3"}, {"end", "g1"}});
    b.run();
    VERIFY_STEP(b, "s3");
    const auto& c = b.curve("s3");
    nurbs::CurveDerivatives d, e;
    c.derivatives(0, 2, d);
    b.curve("s1").derivatives(std::nextafter(1.0, 0.0), 2, e);
    VERIFY_AT_MOST((d[0] - e[0]).norm(), 1e-9);
    VERIFY_AT_MOST(angleBetweenRad(d[1], e[1]), 1e-9);
    VERIFY_AT_MOST(std::abs(nurbs::curvature(d) - nurbs::curvature(e)), 1e-9);
    VERIFY_AT_MOST((c.end() - b.curve("s2").start()).norm(), 1e-9);
    b.curve("s2").derivatives(0, 1, e);
    VERIFY_AT_MOST(angleBetweenRad(c.tangentBefore(c.last()), e[1]), 1e-9);
    QCOMPARE(b.result("s3").outcome->handles.size(), size_t(3));
  }

  void pickedEndPointsAndLonePointsCount() {
    Bench b = twoSplines();
    b.add("point", {{"x", 60}, {"y", 60}, {"z", 60}});
    b.add("blend_curve",
          {{"ends", picks({pick("s1", "point", "start"), pick("s2", "point", "end"), pick("s1"), pick("s3")})}});
    b.run();
    VERIFY_STEP(b, "s4");
    QCOMPARE(b.result("s4").outcome->outputs.size(), size_t(2));
    VERIFY_AT_MOST((b.curve("s4").start() - Vec3(0, 0, 0)).norm(), 1e-9);
    VERIFY_AT_MOST((b.curve("s4").end() - Vec3(125, 20, 30)).norm(), 1e-9);
    QCOMPARE(b.result("s4").outcome->notes[0].code, std::string("LM-P103"));
    b.set("s4", "ends", picks({pick("s1"), pick("s2"), pick("s3")}));
    b.run();
    QCOMPARE(b.code("s4"), std::string("LM-P013"));
  }

  void clearanceToABodyIsToldAndPointsOnSkinsAreLeftSquarely() {
    Bench b = tumbler();
    b.add("point", {{"x", 35.5}, {"y", 0}, {"z", 80}});
    b.add("spline", {{"points", pointList({{60, 0, 150}, {40, 10, 170}, {20, 0, 180}})}});
    b.run();
    const Vec3 normal(1, 0, 0);
    b.add("blend_curve",
          {{"ends", picks({pick("s8"), pick("s7")})}, {"clear", picks({pick("s5")})}, {"clearance", 12}});
    b.run();
    VERIFY_STEP(b, "s9");
    QVERIFY(b.result("s9").outcome->summary.find("clear by") != std::string::npos);
  }
};

static test::Register<BlendCurveStepTest> registeredBlendCurveStepTest;
#include "blend_curve_test.moc"
