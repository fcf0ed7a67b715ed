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
};

static test::Register<RingStepTest> registeredRingStepTest;
#include "ring_test.moc"
