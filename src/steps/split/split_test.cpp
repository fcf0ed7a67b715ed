#include "support/half_vessel.h"

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
