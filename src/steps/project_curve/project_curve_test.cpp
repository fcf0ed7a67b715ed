#include "brep/curves_on.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ProjectCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void imagesLieOnTheSkinAndUnderTheCurve() {
    Bench b = tumbler();
    b.add("plane", {{"base", picks({pick("world", "plane", "front")})}, {"distance", -80}});
    b.add("ring", {{"plane", picks({pick("s7")})}, {"width", 24}, {"y", 60}});
    b.add("project_curve", {{"curves", picks({pick("s8")})}, {"skins", picks({pick("s5")})}});
    b.add("project_curve", {{"curves", picks({pick("s8")})}, {"skins", picks({pick("s5")})}, {"which", "all"}});
    b.add("project_curve", {{"curves", picks({pick("s8")})}, {"skins", picks({pick("s5")})}, {"how", "normal"}});
    b.run();
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    for (const char* id : {"s9", "s10", "s11"}) {
      VERIFY_STEP(b, id);
      for (const auto& o : b.result(id).outcome->outputs) {
        const auto& c = *std::get<recipe::CurvePtr>(o.object);
        QVERIFY(c.closed());
        for (int i = 0; i < 24; ++i) VERIFY_AT_MOST(faces->nearest(c.at(c.last() * i / 24))->distanceMm, 0.0006);
      }
    }
    QCOMPARE(b.result("s9").outcome->outputs.size(), size_t(1));
    QCOMPARE(b.result("s10").outcome->outputs.size(), size_t(2));
    const auto& ring = b.curve("s8");
    const Vec3 n = b.frame("s7").normal();
    for (int i = 0; i < 24; ++i) {
      const Vec3 p = b.curve("s9").at(b.curve("s9").last() * i / 24);
      double side = 1e300;
      for (int k = 0; k < 2000; ++k) {
        const Vec3 r = p - ring.at(ring.last() * k / 2000);
        side = std::min(side, (r - r.dot(n) * n).norm());
      }
      VERIFY_AT_MOST(side, 0.03); // of the sampling: half a step
    }
  }

  void aMissAndAMissingDirectionAreTold() {
    Bench b = tumbler();
    b.add("line", {{"points", pointList({{300, 0, 0}, {300, 50, 0}})}});
    b.add("project_curve", {{"curves", picks({pick("s7")})}, {"skins", picks({pick("s5")})}});
    b.add("project_curve", {{"curves", picks({pick("s7")})},
                            {"skins", picks({pick("s5")})},
                            {"direction", picks({pick("world", "plane", "top")})}});
    b.run();
    QCOMPARE(b.code("s8"), std::string("LM-P032"));
    QCOMPARE(b.code("s9"), std::string("LM-P030"));
  }
};

static test::Register<ProjectCurveStepTest> registeredProjectCurveStepTest;
#include "project_curve_test.moc"
