#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ConicStepTest : public QObject {
  Q_OBJECT
private slots:
  void rhoSaysHowFullItIs() {
    for (double rho : {0.3, 0.41421356237309503, 0.5, 0.8}) {
      Bench b;
      b.add("point", {{"x", 20}});
      b.add("point", {{"x", 20}, {"y", 20}});
      b.add("point", {{"y", 20}});
      b.add("conic", {{"through", picks({pick("s1"), pick("s2"), pick("s3")})}, {"rho", rho}});
      b.run();
      VERIFY_STEP(b, "s4");
      const auto& c = b.curve("s4");
      const Vec3 middle(10, 10, 0), corner(20, 20, 0);
      VERIFY_AT_MOST(nurbs::closestPoint(c, middle + rho * (corner - middle)).distanceMm, 0.0005);
      if (rho > 0.41 && rho < 0.42) // a quarter of a circle
        for (int i = 0; i <= 10; ++i) VERIFY_AT_MOST(std::abs(c.at(i / 10.0).norm() - 20), 0.0006);
    }
    Bench line;
    line.add("point", {});
    line.add("point", {{"x", 10}});
    line.add("point", {{"x", 20}});
    line.add("conic", {{"through", picks({pick("s1"), pick("s2"), pick("s3")})}});
    line.run();
    QCOMPARE(line.code("s4"), std::string("LM-P055"));
  }
};

static test::Register<ConicStepTest> registeredConicStepTest;
#include "conic_test.moc"
