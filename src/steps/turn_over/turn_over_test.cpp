#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class TurnOverStepTest : public QObject {
  Q_OBJECT
private slots:
  void anOffsetOutwardsGoesInwards() {
    Bench b = tumbler();
    b.recipe = b.recipe.without("s6");
    b.add("turn_over", {{"skins", picks({pick("s5")})}});
    b.add("offset", {{"of", picks({pick("s7")})}, {"distance", 2}});
    b.run();
    VERIFY_STEP(b, "s7");
    VERIFY_STEP(b, "s8");
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    QVERIFY(brep::checkValid(b.body("s7")->shape));
    const double was = inspect::stateOf(*b.body("s7")).areaMm2, inner = inspect::stateOf(*b.body("s8")).areaMm2;
    QVERIFY(inner < was - 100);
  }
};

static test::Register<TurnOverStepTest> registeredTurnOverStepTest;
#include "turn_over_test.moc"
