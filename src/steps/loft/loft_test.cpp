#include "inspect/joins.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class LoftStepTest : public QObject {
  Q_OBJECT
private slots:
  void aLoftThroughRingsFacesOutwardsAndSaysWhatItChanged() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 70}, {"height", 40}, {"turn", 170}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.run();
    VERIFY_STEP(b, "s3");
    const auto body = b.body("s3");
    const auto& face = body->natural.begin()->second;
    const Vec3 n = face.surface->normal(0.1, 0.5) * (face.reversed ? -1.0 : 1.0);
    QVERIFY(n.dot(face.surface->at(0.1, 0.5)) > 0);
    QCOMPARE(b.result("s3").outcome->flags.size(), size_t(2));
    QCOMPARE(b.result("s3").outcome->notes[0].code, std::string("LM-L102"));
  }

  void edgesAndPointsOfOtherStepsCanBeSections() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("ring", {{"width", 50}, {"height", 40}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("ring", {{"width", 30}, {"height", 60}});
    b.add("loft", {{"sections", picks({pick("s3", "edge", "s3.skin|end"), pick("s4", "point", "centre")})},
                   {"end", "perpendicular"}});
    b.run();
    VERIFY_STEP(b, "s5");
    VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.body("s5")).boxHigh.z() - 60), 0.2);
  }

  void endsFlowIntoSkinsAcrossEdgesAndPickedFaces() {
    // Two short skins one above the other, and one between them that continues both: from the edge of the lower one,
    // which says itself what lies beside it, to a ring on the upper one, which is picked.
    Bench b;
    const std::vector<std::pair<double, double>> rings{{60, 0}, {66, 14}, {69, 25}, {50, 70}, {44, 80}, {41, 95}};
    for (const auto& [width, height] : rings) b.add("ring", {{"width", width}, {"height", height}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    b.add("loft", {{"sections", picks({pick("s4"), pick("s5"), pick("s6")})}});
    for (const char* order : {"g1", "g2", "g3"})
      b.add("loft", {{"sections", picks({pick("s7", "edge", "s7.skin|end"), pick("s4")})},
                     {"start", order},
                     {"end", order},
                     {"endSkin", picks({pick("s8", "skin")})},
                     {"startPull", 1.2}});
    b.add("knit", {{"skins", picks({pick("s7", "skin"), pick("s8", "skin"), pick("s10", "skin")})}});
    b.add("loft", {{"sections", picks({pick("s2"), pick("s4")})}, {"start", "g1"}});
    b.run();
    for (const char* id : {"s9", "s10", "s11", "s12"}) VERIFY_STEP(b, id);
    QCOMPARE(b.code("s13"), std::string("LM-L017"));
    QCOMPARE(b.result("s10").outcome->handles.size(), size_t(2));
    const auto joins = inspect::joins(*b.body("s12"), {});
    QVERIFY(joins.size() >= 2); // seams too
    for (const auto& j : joins) {
      VERIFY_AT_MOST(j.gapMm, 0.001);
      VERIFY_AT_MOST(j.angleDeg, 0.01);
      VERIFY_AT_MOST(j.curvatureRel, 0.01);
    }
  }

  void aWrongOrderIsSaidAndTheRightOneOffered() {
    Bench b;
    for (double height : {0.0, 60.0, 20.0, 40.0}) b.add("ring", {{"width", 60 - 0.2 * height}, {"height", height}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})}});
    b.run();
    VERIFY_STEP(b, "s5");
    const auto& notes = b.result("s5").outcome->notes;
    const auto note = std::find_if(notes.begin(), notes.end(), [](const Problem& p) { return p.code == "LM-L104"; });
    QVERIFY(note != notes.end());
    QCOMPARE(note->remedies[0].field, std::string("sections"));
    const auto& items = b.result("s5").outcome->flags;
    QCOMPARE(note->remedies[0].value, items[0].item + "," + items[2].item + "," + items[3].item + "," + items[1].item);
  }

  void pairsAreMetAndShownOnAllSections() {
    Bench b;
    for (double height : {0.0, 30.0, 60.0}) b.add("ring", {{"width", 60}, {"height", height}});
    const json chosen = picks({pick("s1"), pick("s2"), pick("s3")});
    const auto row = [&](int pair, int section, double at) {
      return json{{"id", "p" + std::to_string(pair) + "." + chosen[size_t(section)]["id"].get<std::string>()},
                  {"at", at}};
    };
    b.add("loft", {{"sections", chosen}, {"pairs", json::array({row(1, 0, 0.1), row(1, 2, 0.25), row(2, 1, 0.6)})}});
    b.run();
    VERIFY_STEP(b, "s4");
    const recipe::Outcome& out = *b.result("s4").outcome;
    QCOMPARE(out.grips.size(), size_t(6));
    QCOMPARE(out.rails.size(), size_t(3));
    QVERIFY(out.grips[0].moved && !out.grips[1].moved && out.grips[2].moved);
    // The skin's lines run where the squares of the first pair are.
    const auto& s = *b.body("s4")->natural.begin()->second.surface;
    double best = 1e300, u = 0;
    for (int i = 0; i <= 20000; ++i)
      if (const double d = (s.at(i / 20000.0, 0) - out.grips[0].at).norm(); d < best) best = d, u = i / 20000.0;
    VERIFY_AT_MOST((s.at(u, 1) - out.grips[2].at).norm(), 0.02);
    VERIFY_AT_MOST((s.at(u, 0.5) - out.grips[1].at).norm(), 0.1);
  }

  void badSectionsAreExplained() {
    Bench b;
    b.add("ring", {{"width", 60}});
    b.add("spline", {{"points", pointList({{0, 0, 9}, {40, 30, 9}, {40, 0, 9}, {0, 30, 9}})}, {"closed", true}});
    b.add("spline", {{"points", pointList({{0, 0, 20}, {40, 30, 20}})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s2")})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s3")})}});
    b.add("loft", {{"sections", picks({pick("s1"), pick("s1")})}});
    b.add("loft", {{"sections", picks({pick("s1")})}});
    b.run();
    QCOMPARE(b.code("s4"), std::string("LM-L007"));
    QCOMPARE(b.code("s5"), std::string("LM-L002"));
    QCOMPARE(b.code("s6"), std::string("LM-L004"));
    QCOMPARE(b.code("s7"), std::string("LM-R012"));
  }
};

static test::Register<LoftStepTest> registeredLoftStepTest;
#include "loft_test.moc"
