#include "brep/curves_on.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class SilhouetteStepTest : public QObject {
  Q_OBJECT
private slots:
  void theSurfaceTurnsAwayThere() {
    Bench b = tumbler();
    b.add("silhouette", {{"skins", picks({pick("s5")})}, {"direction", picks({pick("world", "plane", "front")})}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    for (const auto& o : b.result("s7").outcome->outputs) {
      const auto& c = *std::get<recipe::CurvePtr>(o.object);
      for (int i = 1; i < 12; ++i) VERIFY_AT_MOST(std::abs(faces->nearest(c.at(c.last() * i / 12))->normal.y()), 1e-3);
    }
  }

  void aWallSeenAlongItselfTurnsNowhere() {
    Bench b;
    const auto ring = b.add("ring", {{"shape", "circle"}, {"width", 40}});
    const auto wall = b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 30}});
    const auto s = b.add("silhouette", {{"skins", picks({pick(wall)})}});
    b.run(); // this took for ever
    QVERIFY(b.result(s).problem.has_value());
    b.set(wall, "lean", 5); // now it leans, and still turns nowhere
    b.run();
    QVERIFY(b.result(s).problem.has_value());
  }
};

static test::Register<SilhouetteStepTest> registeredSilhouetteStepTest;
#include "silhouette_test.moc"
