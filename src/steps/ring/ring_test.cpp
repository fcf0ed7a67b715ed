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
};

static test::Register<RingStepTest> registeredRingStepTest;
#include "ring_test.moc"
