#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class PointStepTest : public QObject {
  Q_OBJECT
private slots:
  void aPointLiesOnItsPlane() {
    Bench b;
    b.add("point", {{"plane", picks({pick("world", "plane", "side")})}, {"x", 3}, {"y", 4}, {"z", 5}});
    b.run();
    const Vec3 p = std::get<recipe::PointObject>(b.result("s1").outcome->outputs[0].object).at;
    VERIFY_AT_MOST((p - Vec3(5, 3, 4)).norm(), 1e-12);
  }
};

static test::Register<PointStepTest> registeredPointStepTest;
#include "point_test.moc"
