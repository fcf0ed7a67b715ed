#include "nurbs/measure/closest.h"
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

  void planesTurnAboutLines() {
    Bench b;
    const auto line = b.add("line", {{"points", pointList({{{10, 0, 5}}, {{10, 20, 5}}})}});
    const auto about = b.add("plane", {{"way", "about"}, {"line", picks({pick(line)})}, {"angle", 30}});
    const auto upright = b.add("line", {{"points", pointList({{{7, 3, 0}}, {{7, 3, 9}}})}});
    const auto round = b.add("plane", {{"way", "about"}, {"line", picks({pick(upright)})}, {"angle", 0}});
    b.run();
    VERIFY_STEP(b, about);
    const Frame f = b.frame(about);
    VERIFY_AT_MOST(std::abs(f.local({10, 20, 5}).z()) + std::abs(f.local({10, 0, 5}).z()), 1e-9); // it goes through the line
    VERIFY_AT_MOST(std::abs(f.normal().dot(Vec3::UnitZ()) - std::cos(radFromDeg(30))), 1e-9);
    VERIFY_AT_MOST(std::abs(f.normal().x() - 0.5), 1e-9); // counter-clockwise about +y
    VERIFY_STEP(b, round); // square to the plane it is turned from: from its first direction
    VERIFY_AT_MOST(std::abs(b.frame(round).normal().x() - 1) + std::abs(b.frame(round).local({7, 3, 100}).z()), 1e-9);
  }

  void planesStandAtPointsOfSplines() {
    Bench b;
    b.add("spline", {{"points", pointList({{-40, 3, 7}, {-10, 15, 9}, {20, -6, 2}, {55, 11, 30}})}});
    b.add("plane", {{"way", "square"}, {"curve", picks({pick("s1")})}, {"at", picks({pick("s1", "point", "q3")})}});
    b.add("plane", {{"way", "points"},
                    {"through", picks({pick("s1", "point", "q2"), pick("s1", "point", "q3"), pick("s1", "point", "end")})}});
    b.run();
    VERIFY_STEP(b, "s2");
    VERIFY_AT_MOST((b.frame("s2").origin - Vec3(20, -6, 2)).norm(), 1e-6);
    const nurbs::Path& path = b.curve("s1");
    nurbs::CurveDerivatives d;
    path.derivatives(nurbs::closestPoint(path, {20, -6, 2}).t, 1, d);
    VERIFY_AT_MOST(b.frame("s2").normal().cross(d[1].normalized()).norm(), 1e-6);
    VERIFY_STEP(b, "s3");
    VERIFY_AT_MOST(std::abs(b.frame("s3").local({-10, 15, 9}).z()), 1e-9);
  }

  void planesLieOnFlatFacesAndTouchCurvedOnes() {
    Bench b;
    b.add("ring", {{"width", 60}, {"height", 13}});
    b.add("ring", {{"width", 40}, {"height", 70}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}, {"solid", true}});
    b.add("point", {{"x", 100}, {"y", 100}, {"z", 45}});
    b.run();
    VERIFY_STEP(b, "s3");
    const brep::BodyPtr body = b.body("s3");
    std::string flat, side;
    for (size_t i = 0; i < body->faceNames.size(); ++i) {
      (body->natural.count(body->faceNames[i]) ? side : flat) = body->faceNames[i];
    }
    QVERIFY(!flat.empty() && !side.empty());
    b.add("plane", {{"way", "face"}, {"face", picks({pick("s3", "face", flat)})}});
    b.add("plane", {{"way", "face"}, {"face", picks({pick("s3", "face", side)})}, {"at", picks({pick("s4")})}});
    b.run();
    VERIFY_STEP(b, "s5");
    VERIFY_AT_MOST(std::min(std::abs(b.frame("s5").origin.z() - 13), std::abs(b.frame("s5").origin.z() - 70)), 1e-9);
    VERIFY_AT_MOST(1 - std::abs(b.frame("s5").normal().z()), 1e-12);
    // A cone: the plane holds its generator, and touches it where the point is nearest.
    VERIFY_STEP(b, "s6");
    const Frame f = b.frame("s6");
    const double c = std::sqrt(0.5);
    VERIFY_AT_MOST(std::abs(f.local({30 * c, 30 * c, 13}).z()), 1e-3);
    VERIFY_AT_MOST(std::abs(f.local({20 * c, 20 * c, 70}).z()), 1e-3);
    QVERIFY(f.normal().dot(Vec3(1, 1, 0)) > 0);
    // Or where fractions of the face's parameters say: it touches there, and nowhere crosses the cone.
    for (const auto& [u, v] : {std::pair(0.1, 0.9), {0.62, 0.3}}) {
      const std::string id = b.add(
          "plane", {{"way", "face"}, {"face", picks({pick("s3", "face", side)})}, {"faceU", u}, {"faceV", v}});
      b.run();
      VERIFY_STEP(b, id.c_str());
      const Frame g = b.frame(id);
      const double radius = g.origin.head<2>().norm(), turn = std::atan2(g.origin.y(), g.origin.x());
      VERIFY_AT_MOST(std::abs(radius - (30 - 10 * (g.origin.z() - 13) / 57)), 1e-3);
      VERIFY_AT_MOST(std::abs(g.normal().dot(Vec3(-std::sin(turn), std::cos(turn), 0))), 1e-4);
    }
  }

  void planesStandBetweenTwo() {
    Bench b;
    b.add("plane", {{"distance", 10}});
    b.add("plane", {{"distance", 34}});
    b.add("plane", {{"way", "between"}, {"pair", picks({pick("s1"), pick("s2")})}});
    b.add("plane", {{"way", "between"}, {"pair", picks({pick("s2"), pick("world", "plane", "side")})}});
    b.add("plane",
          {{"way", "between"}, {"pair", picks({pick("s2"), pick("world", "plane", "side")})}, {"other", true}});
    b.run();
    VERIFY_AT_MOST(std::abs(b.frame("s3").local({5, 6, 22}).z()), 1e-12);
    const double c = std::sqrt(0.5);
    for (const char* id : {"s4", "s5"}) {
      VERIFY_STEP(b, id);
      VERIFY_AT_MOST(std::abs(b.frame(id).local({0, 77, 34}).z()), 1e-9); // the common line
      VERIFY_AT_MOST(std::abs(std::abs(b.frame(id).normal().x()) - c), 1e-9);
    }
    VERIFY_AT_MOST(std::abs(b.frame("s4").normal().dot(b.frame("s5").normal())), 1e-12);
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
