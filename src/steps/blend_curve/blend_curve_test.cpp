#include "brep/curves_on.h"
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
    QCOMPARE(b.result("s3").outcome->marks.all<recipe::HandlePlace>().size(), size_t(3));
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
    b.run();
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    const auto root = *faces->nearest({36, 0, 80});
    b.add("point", {{"x", root.point.x()}, {"y", root.point.y()}, {"z", root.point.z()}});
    b.add("spline", {{"points", pointList({{60, 0, 150}, {40, 10, 170}, {20, 0, 180}})}});
    b.run();
    b.add("blend_curve",
          {{"ends", picks({pick("s7"), pick("s8")})}, {"clear", picks({pick("s5")})}, {"clearance", 12}});
    b.run();
    VERIFY_STEP(b, "s9");
    // The spline's near end is the blend's farthest place from the skin: the point itself touches it.
    const Problem& note = b.result("s9").outcome->notes.back();
    QCOMPARE(note.code, std::string("LM-P104"));
    VERIFY_AT_MOST(note.measured->value, 0.001);
    VERIFY_AT_MOST((note.where[0] - root.point).norm(), 0.01);
    for (bool inwards : {false, true}) {
      b.set("s9", "skins", picks({pick("s5")}));
      b.set("s9", "inwards", inwards);
      b.run();
      VERIFY_STEP(b, "s9");
      QVERIFY2(b.result("s9").outcome->summary.find("G2 to G2") == 0, b.result("s9").outcome->summary.c_str());
      nurbs::CurveDerivatives d;
      b.curve("s9").derivatives(0, 2, d);
      VERIFY_AT_MOST(angleBetweenRad(d[1], inwards ? Vec3(-root.normal) : root.normal), 1e-9);
      VERIFY_AT_MOST(nurbs::curvature(d), 1e-9); // square and straight: G2
    }
  }
};

static test::Register<BlendCurveStepTest> registeredBlendCurveStepTest;
#include "blend_curve_test.moc"
