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

  /// A long channel, and the same with a short narrow place in it: walls that meet only there are found.
  void wallsThatMeetInANarrowPlaceAreRefused() {
    for (const bool pinched : {false, true}) {
      Bench b;
      json sections = json::array();
      for (double y : {0.0, 100.0, 203.0, 209.0, 213.0, 217.0, 223.0, 300.0, 400.0}) {
        const bool narrow = pinched && y == 213;
        const double top = narrow ? 3 : 6, upper = narrow ? 12 : 13;
        sections.push_back(pick(b.add("spline", {{"points", pointList({{-top, y, 60}, {-upper, y, 36}, {-13, y, 15}, {0, y, 8},
                                                                       {13, y, 15}, {upper, y, 36}, {top, y, 60}})}})));
      }
      b.add("loft", {{"sections", sections}});
      for (const char* side : {"in", "out"})
        b.add("thicken", {{"skin", picks({pick("s10", "skin")})}, {"thickness", 3.5}, {"side", side}});
      b.run();
      const std::string in = b.code("s11"), out = b.code("s12");
      QVERIFY2(pinched ? in == "LM-T005" || out == "LM-T005" : in.empty() && out.empty(), (in + " " + out).c_str());
      if (!pinched) continue;
      const Problem& p = *b.result(in.empty() ? "s12" : "s11").problem;
      VERIFY_AT_MOST(std::abs(p.where.front().y() - 213), 6);
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
