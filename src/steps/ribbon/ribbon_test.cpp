#include "brep/curves_on.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class RibbonStepTest : public QObject {
  Q_OBJECT
private slots:
  void ribbonsGoWhereTheyAreSentAndTaper() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 10, 0}, {60, 5, 0}, {90, 20, 0}})}});
    b.add("ribbon", {{"curve", picks({pick("s1")})}, {"width", 8}, {"endWidth", 2}});
    b.add("line", {{"points", pointList({{0, 0, 0}, {0, 10, 10}})}});
    json part = pick("s1");
    part["from"] = 0.25;
    part["to"] = "0.75";
    b.add("ribbon", {{"curve", picks({part})},
                     {"way", "direction"},
                     {"line", picks({pick("s3")})},
                     {"width", 5},
                     {"endWidth", 5},
                     {"flip", true}});
    b.run();
    VERIFY_STEP(b, "s2");
    const auto& s = *b.body("s2")->natural.begin()->second.surface;
    for (int i = 0; i <= 20; ++i) {
      const Vec3 d = s.at(i / 20.0, 1) - s.at(i / 20.0, 0);
      VERIFY_AT_MOST(std::abs(std::abs(d.z()) - (8 - 6 * i / 20.0)), 1e-3);
      VERIFY_AT_MOST(d.head<2>().norm(), 1e-6);
      VERIFY_AT_MOST(nurbs::closestPoint(b.curve("s1"), s.at(i / 20.0, 0)).distanceMm, 0.0005);
    }
    VERIFY_STEP(b, "s4");
    const auto& t = *b.body("s4")->natural.begin()->second.surface;
    VERIFY_AT_MOST((t.at(0.3, 1) - t.at(0.3, 0) - Vec3(0, -5, -5) / std::sqrt(2)).norm(), 1e-5);
    VERIFY_AT_MOST(std::abs(nurbs::ArcLength(*nurbs::Path::make({t.isoV(0)}, {1e-6})).total() -
                            0.5 * nurbs::ArcLength(b.curve("s1")).total()),
                   0.002);
    QCOMPARE(b.result("s4").outcome->marks.all<recipe::Flag>().size(), size_t(2)); // where the part begins and ends
  }

  void onASkinTheAngleCounts() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("section_curves", {{"skins", picks({pick("s5")})}, {"by", picks({pick("s7")})}});
    for (double angle : {0.0, 90.0, 30.0})
      b.add("ribbon", {{"curve", picks({pick("s8")})},
                       {"way", "skin"},
                       {"skin", picks({pick("s5")})},
                       {"angle", angle},
                       {"width", 4},
                       {"endWidth", 4}});
    b.run();
    const auto faces = brep::BodyFaces::of(*b.body("s5"), -1, {});
    const char* ids[] = {"s9", "s10", "s11"};
    const double want[] = {0, 90, 30};
    for (int k = 0; k < 3; ++k) {
      VERIFY_STEP(b, ids[k]);
      const auto& s = *b.body(ids[k])->natural.begin()->second.surface;
      for (int i = 0; i < 10; ++i) {
        const Vec3 d = s.at(i / 10.0, 1) - s.at(i / 10.0, 0);
        const auto at = faces->nearest(s.at(i / 10.0, 0));
        VERIFY_AT_MOST(std::abs(degFromRad(std::asin(d.normalized().dot(at->normal))) - want[k]), 0.01);
      }
    }
  }

  void foldsAndMissingDirectionsAreRefused() {
    Bench b;
    b.add("arc", {{"radius", 10}, {"from", 0}, {"to", 180}});
    b.add("line", {{"points", pointList({{0, 0, 0}, {1, 0, 0}})}});
    b.add("ribbon", {{"curve", picks({pick("s1")})}, {"way", "direction"}, {"line", picks({pick("s2")})}});
    b.add("ribbon", {{"curve", picks({pick("s1")})}, {"width", 0}, {"endWidth", 0}});
    b.add("ribbon", {{"curve", picks({pick("s2")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-P072"));
    QCOMPARE(b.code("s4"), std::string("LM-P071"));
    QCOMPARE(b.code("s5"), std::string("LM-P074"));
  }
};

static test::Register<RibbonStepTest> registeredRibbonStepTest;
#include "ribbon_test.moc"
