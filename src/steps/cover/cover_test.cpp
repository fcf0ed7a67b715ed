#include "support/half_vessel.h"

using namespace lumsk;
using namespace lumsk::test;

class CoverStepTest : public QObject {
  Q_OBJECT
private slots:
  void aHalfMirroredAndCoveredAtBothEndsIsASolid() {
    Bench b = halfVessel();
    for (const char* side : {"start", "end"}) b.set("s7", side, "g3");
    b.add("mirror", {{"what", picks({pick("s7")})}});
    b.run();
    VERIFY_STEP(b, "s8");
    std::vector<std::string> rims;
    for (const auto& e : b.body("s8")->edgeNames)
      if (e.find('|') == e.rfind('|') && e.rfind("s7.", 0) == 0 && e.find("image") == std::string::npos)
        rims.push_back(e);
    QCOMPARE(rims.size(), size_t(2));
    b.add("cover", {{"edges", picks({pick("s8", "edge", rims[0]), pick("s8", "edge", rims[1])})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto s = inspect::stateOf(*b.body("s9"));
    QVERIFY(s.solid && s.valid && s.openEdges == 0);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b7"));
    // Against the outlines' area integrated over the height.
    double volume = 0;
    const auto& f = *b.body("s9")->natural.at("s7.skin").surface;
    for (int k = 0; k < 400; ++k) {
      // z runs along one of the parameters: sum thin slices from points of the surface.
      const double z = 80 * (k + 0.5) / 400;
      std::vector<Vec2> ring;
      for (int i = 0; i <= 200; ++i) {
        double lo = 0, hi = 1;
        const auto at = [&](double t) { return f.at(t, i / 200.0); };
        const bool up = at(1).z() > at(0).z();
        for (int it = 0; it < 50; ++it) {
          const double mid = 0.5 * (lo + hi);
          ((at(mid).z() < z) == up ? lo : hi) = mid;
        }
        ring.push_back(at(lo).head<2>());
      }
      double area = 0;
      for (size_t i = 0; i + 1 < ring.size(); ++i)
        area += ring[i].x() * ring[i + 1].y() - ring[i + 1].x() * ring[i].y();
      volume += std::abs(area) * 80 / 400; // half a ring doubled
    }
    VERIFY_AT_MOST(std::abs(s.volumeMm3 / volume - 1), 0.001);
  }

  void ringsOutOfPlaneGetAFilmThatFitsThem() {
    Bench b;
    json ring = json::array();
    std::vector<std::array<double, 3>> p, q;
    for (int k = 0; k < 16; ++k) {
      const double a = 2 * kPi * k / 16;
      p.push_back({40 * std::cos(a), 28 * std::sin(a), 4 * std::cos(2 * a)});
      q.push_back({50 * std::cos(a), 36 * std::sin(a), 40 + 3 * std::sin(2 * a)});
    }
    b.add("spline", {{"points", pointList(p)}, {"closed", true}});
    b.add("spline", {{"points", pointList(q)}, {"closed", true}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("cover", {{"edges", picks({pick("s3", "edge", "s3.skin|start"), pick("s3", "edge", "s3.skin|end")})}});
    b.add("cover", {{"edges", picks({pick("s1")})}});
    b.run();
    VERIFY_STEP(b, "s4");
    const auto s = inspect::stateOf(*b.body("s4"));
    QVERIFY(s.solid && s.valid && s.openEdges == 0);
    VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
    for (const auto& j : inspect::joins(*b.body("s4"), {})) VERIFY_AT_MOST(j.gapMm, 0.001);
    VERIFY_STEP(b, "s5");
    QVERIFY(!b.body("s5")->solid());
    // As flat as can be: the middle of a saddle-shaped ring is where its plane is.
    VERIFY_AT_MOST(inspect::stateOf(*b.body("s5")).boxHigh.z(), 4.01);
    VERIFY_AT_MOST(inspect::stateOf(*b.body("s5")).areaMm2, kPi * 40 * 28 * 1.03);
  }

  void ringsThatCannotBeCoveredAreRefusedWithPlaces() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 0, 0}, {30, 30, 0}})}});
    b.add("cover", {{"edges", picks({pick("s1")})}});
    b.add("spline", {{"points", pointList({{0, 0, 9}, {40, 30, 9}, {40, 0, 9}, {0, 30, 9}})}, {"closed", true}});
    b.add("cover", {{"edges", picks({pick("s3")})}});
    b.run();
    QCOMPARE(b.code("s2"), std::string("LM-V001"));
    QCOMPARE(b.result("s2").problem->where.size(), size_t(2));
    QCOMPARE(b.code("s4"), std::string("LM-V002"));
  }
};

static test::Register<CoverStepTest> registeredCoverStepTest;
#include "cover_test.moc"
