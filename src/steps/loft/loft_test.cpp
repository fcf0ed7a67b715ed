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
