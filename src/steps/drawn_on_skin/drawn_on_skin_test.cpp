#include "brep/curves_on.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class DrawnOnSkinStepTest : public QObject {
  Q_OBJECT
private slots:
  void theCurveLiesOnTheSkinAndPassesItsPoints() {
    Bench b = tumbler();
    b.add("drawn_on_skin", {{"skins", picks({pick("s5")})},
                            {"points", pointList({{36, 0, 60}, {30, 20, 75}, {0, 38, 60}, {-30, 22, 80}})}});
    b.run();
    VERIFY_STEP(b, "s7");
    QCOMPARE(b.result("s7").outcome->outputs.size(), size_t(1));
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    const auto& c = b.curve("s7");
    for (int i = 0; i <= 40; ++i) VERIFY_AT_MOST(faces->nearest(c.at(c.last() * i / 40))->distanceMm, 0.0006);
    for (const Vec3& p : {Vec3(36, 0, 60), Vec3(0, 38, 60)})
      VERIFY_AT_MOST(nurbs::closestPoint(c, faces->nearest(p)->point).distanceMm, 0.0006);
    b.set("s7", "points", pointList({{36, 0, 60}}));
    b.run();
    QCOMPARE(b.code("s7"), std::string("LM-S010"));
  }
};

static test::Register<DrawnOnSkinStepTest> registeredDrawnOnSkinStepTest;
#include "drawn_on_skin_test.moc"
