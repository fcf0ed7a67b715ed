#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class ThickenStepTest : public QObject {
  Q_OBJECT
private slots:
  void aTumblerGetsItsWallAndKeepsItsIdentity() {
    Bench b = tumbler();
    b.run();
    VERIFY_STEP(b, "s6");
    QCOMPARE(b.model->bodies.size(), size_t(1));
    QCOMPARE(b.model->bodies[0].id, std::string("b5"));
    QCOMPARE(b.model->bodies[0].step, std::string("s6"));
    const auto s = inspect::stateOf(*b.model->bodies[0].body);
    QVERIFY(s.solid && s.valid);
    QCOMPARE(s.openEdges, 0);
  }

  void tooThickIsRefusedWithARemedyThatWorks() {
    Bench b = tumbler();
    b.set("s6", "thickness", 80);
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    const auto& p = *b.result("s6").problem;
    QVERIFY(!p.where.empty() && !p.remedies.empty());
    b.set("s6", p.remedies[0].field, p.remedies[0].value);
    b.run();
    QVERIFY2(b.result("s6").status == recipe::Status::Ok || b.code("s6") == "LM-T005", b.code("s6").c_str());
  }
};

static test::Register<ThickenStepTest> registeredThickenStepTest;
#include "thicken_test.moc"
