#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class PlaneStepTest : public QObject {
  Q_OBJECT
private slots:
  void planesStandWhereTheyAreAsked() {
    Bench b;
    b.add("plane", {{"distance", "2*10 mm"}});
    b.add("point", {{"x", 10}});
    b.add("point", {{"y", 10}, {"z", 5}});
    b.add("plane", {{"way", "points"}, {"through", picks({pick("world", "point", "origin"), pick("s2"), pick("s3")})}});
    b.add("ring", {{"width", 40}});
    b.add("plane", {{"way", "square"}, {"curve", picks({pick("s5")})}, {"fraction", 0.25}});
    b.add("plane", {{"base", picks({pick("s1")})}, {"distance", "1 in"}});
    b.run();
    VERIFY_AT_MOST((b.frame("s1").origin - Vec3(0, 0, 20)).norm(), 1e-12);
    VERIFY_AT_MOST(std::abs(b.frame("s4").local({10, 10, 5}).z()), 1e-12);
    VERIFY_AT_MOST((b.frame("s6").origin - Vec3(0, 20, 0)).norm(), 1e-6);
    VERIFY_AT_MOST(std::abs(std::abs(b.frame("s6").normal().x()) - 1), 1e-6);
    VERIFY_AT_MOST((b.frame("s7").origin - Vec3(0, 0, 45.4)).norm(), 1e-12);
  }

  void pointsOnOneLineAreRefused() {
    Bench b;
    b.add("point", {{"x", 10}});
    b.add("point", {{"x", 20}});
    b.add("plane", {{"way", "points"}, {"through", picks({pick("world", "point", "origin"), pick("s1"), pick("s2")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-S001"));
  }
};

static test::Register<PlaneStepTest> registeredPlaneStepTest;
#include "plane_test.moc"
