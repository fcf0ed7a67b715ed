#include "brep/convert.h"
#include "nurbs/measure/closest.h"
#include "support/half_vessel.h"

#include <BRep_Tool.hxx>

using namespace lumsk;
using namespace lumsk::test;

class SplitStepTest : public QObject {
  Q_OBJECT
private slots:
  void aSolidFallsIntoSolidsThatAreAsLargeAsItTogether() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 70}});
    b.add("plane", {{"base", picks({pick("world", "plane", "side")})}, {"distance", 5}});
    b.add("split", {{"body", picks({pick("s6")})}, {"by", picks({pick("s7"), pick("s8")})}});
    b.run();
    VERIFY_STEP(b, "s9");
    const auto& out = b.result("s9").outcome->outputs;
    QCOMPARE(out.size(), size_t(4));
    double sum = 0;
    for (const auto& o : out) {
      const auto s = inspect::stateOf(*std::get<brep::BodyPtr>(o.object));
      QVERIFY(s.solid && s.valid && s.openEdges == 0);
      sum += s.volumeMm3;
    }
    VERIFY_AT_MOST(std::abs(sum / inspect::stateOf(*b.body("s6")).volumeMm3 - 1), 1e-5);
    QCOMPARE(b.model->bodies[0].id, std::string("b5")); // the largest goes on as it
  }

  void anEvenGapIsKeptBetweenThePieces() {
    Bench b = tumbler();
    const auto plane = b.add("plane", {{"distance", 70}});
    const auto even = b.add("split", {{"body", picks({pick("s6", "solid")})}, {"by", picks({pick(plane)})}, {"gap", 0.8}});
    b.run();
    VERIFY_STEP(b, even);
    const auto& out = b.result(even).outcome->outputs;
    QCOMPARE(out.size(), size_t(2));
    double low = 0, high = 1e9;
    for (const auto& o : out) {
      const auto s = inspect::stateOf(*std::get<brep::BodyPtr>(o.object));
      QVERIFY(s.solid && s.valid && s.openEdges == 0);
      if (s.boxHigh.z() < 75) low = s.boxHigh.z();
      else high = s.boxLow.z();
    }
    VERIFY_AT_MOST(std::abs(low - 69.6) + std::abs(high - 70.4), 2e-4);
    // By a curved skin: places of the two cut faces are as far apart.
    Bench c = tumbler();
    const auto wave = spline(c, {{{-60, 0, 60}}, {{-15, 0, 72}}, {{20, 0, 64}}, {{60, 0, 70}}});
    const auto skin = c.add("extrude", {{"sections", picks({pick(wave)})}, {"length", 160}, {"ways", "even"}});
    const auto curved = c.add("split", {{"body", picks({pick("s6", "solid")})}, {"by", picks({pick(skin, "skin")})}, {"gap", 1.2}});
    c.run();
    VERIFY_STEP(c, curved);
    QCOMPARE(c.result(curved).outcome->outputs.size(), size_t(2));
    const nurbs::Surface& cutter = *c.body(skin)->natural.begin()->second.surface;
    int places = 0;
    for (const auto& o : c.result(curved).outcome->outputs) {
      const auto body = std::get<brep::BodyPtr>(o.object);
      QVERIFY(body->solid());
      for (const auto& v : brep::vertices(*body))
        if (const auto foot = nurbs::closestPoint(cutter, brep::toVec(BRep_Tool::Pnt(v))); foot.distanceMm < 2) {
          VERIFY_AT_MOST(std::abs(foot.distanceMm - 0.6), 0.002);
          ++places;
        }
    }
    QVERIFY(places >= 4);
    const auto curve = c.add("split", {{"body", picks({pick("s5", "skin")})}, {"by", picks({pick(wave)})}, {"gap", 1}});
    c.run();
    QCOMPARE(c.code(curve), std::string("LM-C015"));
  }

  void facesOfOneBodyShareTheirEdges() {
    Bench b = tumbler();
    b.add("plane", {{"distance", 50}});
    b.add("split", {{"body", picks({pick("s5")})}, {"by", picks({pick("s7")})}, {"into", "faces"}});
    b.recipe = b.recipe.without("s6");
    b.run();
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.result("s8").outcome->outputs.size(), size_t(1));
    const auto whole = inspect::stateOf(*b.body("s5")), s = inspect::stateOf(*b.body("s8"));
    QVERIFY(s.valid && s.faces > whole.faces && s.openEdges == whole.openEdges);
    VERIFY_AT_MOST(std::abs(s.areaMm2 / whole.areaMm2 - 1), 1e-5);
  }
};

static test::Register<SplitStepTest> registeredSplitStepTest;
#include "split_test.moc"
