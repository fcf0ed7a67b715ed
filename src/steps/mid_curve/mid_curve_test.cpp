#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class MidCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void theMiddleIsHalfwayWhateverTheDirections() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {100, 0, 0}})}});
    b.add("line", {{"points", pointList({{100, 40, 20}, {0, 40, 20}})}});
    b.add("mid_curve", {{"curves", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 50}});
    b.add("ring", {{"width", 30}, {"height", 40}});
    b.add("mid_curve", {{"curves", picks({pick("s4"), pick("s5")})}, {"weight", 0.25}});
    b.run();
    VERIFY_STEP(b, "s3");
    for (int i = 0; i <= 10; ++i) {
      const Vec3 p = b.curve("s3").at(i / 10.0);
      VERIFY_AT_MOST(std::hypot(p.y() - 20, p.z() - 10), 1e-3);
    }
    VERIFY_STEP(b, "s6");
    QVERIFY(b.curve("s6").closed());
    for (int i = 0; i <= 10; ++i) {
      const Vec3 p = b.curve("s6").at(b.curve("s6").last() * i / 10.0);
      VERIFY_AT_MOST(std::abs(p.head<2>().norm() - 22.5), 1e-3);
      VERIFY_AT_MOST(std::abs(p.z() - 10), 1e-3);
    }
  }
};

static test::Register<MidCurveStepTest> registeredMidCurveStepTest;
#include "mid_curve_test.moc"
