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
};

static test::Register<MoveStepTest> registeredMoveStepTest;
#include "move_test.moc"
