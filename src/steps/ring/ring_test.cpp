#include "brep/curves_on.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class RingStepTest : public QObject {
  Q_OBJECT
private slots:
  void everyShapeHasItsSize() {
    for (const char* shape : {"circle", "ellipse", "superellipse", "rectangle", "polygon"}) {
      Bench b;
      b.add("ring", {{"shape", shape}, {"width", 60}, {"depth", 40}, {"height", 7}, {"radius", 0}});
      b.run();
      VERIFY_STEP(b, "s1");
      const Points p = nurbs::polyline(b.curve("s1"), 200);
      VERIFY_AT_MOST(std::abs(p.col(0).maxCoeff() - 30), 0.001);
      VERIFY_AT_MOST(std::abs(p.col(2).minCoeff() - 7) + std::abs(p.col(2).maxCoeff() - 7), 1e-9);
      QVERIFY(b.curve("s1").closed());
    }
  }

  void aRadiusThatDoesNotFitIsRefusedWithTheLargest() {
    Bench b;
    b.add("ring", {{"shape", "rectangle"}, {"width", 60}, {"depth", 40}, {"radius", 25}});
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-G009"));
    QCOMPARE(b.result("s1").problem->required->value, 20.0);
  }

  void slotsHaveRoundEnds() {
    Bench b;
    b.add("ring", {{"shape", "slot"}, {"width", 60}, {"depth", 20}});
    b.add("ring", {{"shape", "slot"}, {"width", 20}, {"depth", 60}});
    b.run();
    for (const char* id : {"s1", "s2"}) {
      VERIFY_STEP(b, id);
      QVERIFY(b.curve(id).closed() && b.curve(id).corners({0.01}).empty());
      const Points p = nurbs::polyline(b.curve(id), 16);
      const bool wide = std::string(id) == "s1";
      VERIFY_AT_MOST(std::abs(p.col(wide ? 0 : 1).maxCoeff() - 30), 1e-9);
      VERIFY_AT_MOST(std::abs(p.col(wide ? 1 : 0).maxCoeff() - 10), 1e-9);
    }
  }

  /// On a face: the plane that touches it where it was clicked, its normal outside.
  void aRingStandsOnAFaceWhereItWasClicked() {
    Bench b = tumbler();
    b.run();
    const std::string face = b.body("s5")->faceNames[0];
    json on = pick("s5", "face", face);
    on["near"] = {{"at", {0, 0, 50}}, {"direction", {0, 0, 1}}, {"on", {40, 0, 60}}};
    b.add("ring", {{"plane", picks({on})}, {"width", 12}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto& c = b.curve("s7");
    Vec3 centre = Vec3::Zero();
    for (int i = 0; i < 8; ++i) centre += c.at(c.last() * i / 8) / 8;
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    VERIFY_OK(faces);
    const auto at = faces->nearest({40, 0, 60});
    VERIFY_AT_MOST((centre - at->point).norm(), 1e-6);
    for (int i = 0; i < 8; ++i) VERIFY_AT_MOST(std::abs((c.at(c.last() * i / 8) - at->point).dot(at->normal)), 1e-6);
    // Elsewhere on it, it stands elsewhere.
    on["near"]["on"] = {0, 40, 30};
    b.set("s7", "plane", picks({on}));
    b.run();
    VERIFY_STEP(b, "s7");
    QVERIFY(b.curve("s7").at(0).y() > 20);
  }
};

static test::Register<RingStepTest> registeredRingStepTest;
#include "ring_test.moc"
