#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class MoveStepTest : public QObject {
  Q_OBJECT
private slots:
  void objectsMoveAndTurn() {
    Bench b = tumbler();
    b.add("move", {{"what", picks({pick("s6")})}, {"x", 100}, {"turn", 90}, {"axis", "y"}});
    b.add("move", {{"what", picks({pick("s4")})}, {"z", 5}, {"copy", true}});
    b.run();
    VERIFY_STEP(b, "s7");
    const auto s = inspect::stateOf(*b.body("s7"));
    VERIFY_AT_MOST(std::abs(s.boxLow.x() - 100) + std::abs(s.boxHigh.x() - 210), 1e-3);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    VERIFY_AT_MOST(std::abs(b.curve("s8").start().z() - 115), 1e-9);
    VERIFY_AT_MOST(std::abs(b.curve("s4").start().z() - 110), 1e-9);
  }

  void severalMoveAlongAPickedDirectionAndTurnAboutAPickedAxis() {
    Bench b = tumbler();
    const auto line = b.add("line", {{"points", pointList({{{30, 0, 0}}, {{30, 0, 50}}})}});
    const auto lean = b.add("line", {{"points", pointList({{{0, 0, 0}}, {{30, 40, 0}}})}});
    const auto both = b.add("move", {{"what", picks({pick("s6", "solid"), pick("s4")})}, {"axis", "picked"}, {"line", picks({pick(line)})}, {"turn", 180}, {"along", picks({pick(lean)})}, {"distance", 10}});
    b.run();
    VERIFY_STEP(b, both);
    const auto s = inspect::stateOf(*b.body(both));
    VERIFY_AT_MOST((0.5 * (s.boxLow + s.boxHigh) - Vec3(60 + 6, 8, 55)).norm(), 2e-3);
    const auto& curve = std::get<recipe::CurvePtr>(b.result(both).outcome->outputs[1].object);
    VERIFY_AT_MOST((0.5 * (curve->at(0) + curve->at(0.5 * curve->last())) - Vec3(66, 8, 110)).norm(), 1e-6);
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b5")); // it is the body it was
  }
};

static test::Register<MoveStepTest> registeredMoveStepTest;
#include "move_test.moc"
