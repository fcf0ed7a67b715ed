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

  /// A wall is the same wall wherever its skin lies: also one whose rounded point is not at the origin.
  void wallsOfSkinsWithAPoleStandAnywhere() {
    std::vector<double> volumes;
    for (const json& place : {json{{"x", 0}}, json{{"z", 5}}, json{{"x", 5}},
                              json{{"x", 731}, {"y", -412}, {"z", 96}, {"turn", 37}, {"axis", "x"}}}) {
      Bench b = tumbler();
      json move = place;
      move["what"] = picks({pick("s5")});
      b.add("move", move);
      b.add("thicken", {{"skin", picks({pick("s7")})}, {"thickness", 2}});
      b.set("s6", "thickness", 2);
      b.recipe = b.recipe.without("s6");
      b.run();
      VERIFY_STEP(b, "s8");
      const auto s = inspect::stateOf(*b.body("s8"));
      QVERIFY(s.solid && s.valid);
      volumes.push_back(s.volumeMm3);
      VERIFY_AT_MOST(std::abs(volumes.back() - volumes.front()), 1e-4 * volumes.front());
    }
  }

  void aPointedSkinIsToldToBeRounded() {
    Bench b = tumbler();
    b.set("s5", "start", "free");
    b.set("s6", "side", "in");
    b.run();
    QCOMPARE(b.code("s6"), std::string("LM-T001"));
    QVERIFY(b.result("s6").problem->remedies.empty()); // nothing above nought would fit
    QVERIFY(b.result("s6").problem->remedyText.find("round") != std::string::npos);
  }
};

static test::Register<ThickenStepTest> registeredThickenStepTest;
#include "thicken_test.moc"
