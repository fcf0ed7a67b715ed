#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class TwoViewStepTest : public QObject {
  Q_OBJECT
private slots:
  void drawingsOfTwoPlanesGiveTheCurveOfBoth() {
    Bench b;
    const json front = picks({pick("world", "plane", "front")}), side = picks({pick("world", "plane", "side")});
    b.add("ring", {{"plane", front}, {"width", 60}});
    b.add("ring", {{"plane", side}, {"width", 40}});
    b.add("two_view", {{"drawings", picks({pick("s1"), pick("s2")})}});
    b.run();
    VERIFY_STEP(b, "s3");
    const auto& out = *b.result("s3").outcome;
    QCOMPARE(out.outputs.size(), size_t(2));
    for (const auto& o : out.outputs) {
      const auto& c = *std::get<recipe::CurvePtr>(o.object);
      QVERIFY(c.closed());
      for (int i = 0; i < 40; ++i) {
        const Vec3 p = c.at(c.last() * i / 40);
        VERIFY_AT_MOST(std::abs(std::hypot(p.x(), p.z()) - 30), 0.0005);
        VERIFY_AT_MOST(std::abs(std::hypot(p.y(), p.z()) - 20), 0.0005);
      }
    }
    // The drawings go out of sight and stay what the curve follows.
    QVERIFY(b.model->isHidden("s1", "") && b.model->isHidden("s2", ""));
    b.set("s2", "width", 50);
    b.run();
    VERIFY_AT_MOST(std::abs(std::get<recipe::CurvePtr>(b.result("s3").outcome->outputs[0].object)->at(0).norm()), 40);
    b.set("s3", "hide", false);
    b.run();
    QVERIFY(!b.model->isHidden("s1", ""));
  }

  void viewsThatDoNotFitAreExplained() {
    Bench b;
    const json front = picks({pick("world", "plane", "front")}), side = picks({pick("world", "plane", "side")});
    b.add("ring", {{"plane", front}});
    b.add("ring", {{"plane", front}, {"width", 20}});
    b.add("two_view", {{"drawings", picks({pick("s1"), pick("s2")})}});
    b.add("line", {{"plane", side}, {"points", pointList({{0, 200, 0}, {20, 260, 0}, {60, 230, 0}})}});
    b.add("two_view", {{"drawings", picks({pick("s1"), pick("s4")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-P005"));
    QCOMPARE(b.code("s5"), std::string("LM-P002"));
    QVERIFY(b.result("s5").problem->measured->value > 100);
  }

  void straightDrawingsNeedTheirPlanesAndThenGiveALine() {
    Bench b;
    const json front = picks({pick("world", "plane", "front")}), side = picks({pick("world", "plane", "side")});
    b.add("line", {{"plane", front}, {"points", pointList({{0, 0, 0}, {30, 60, 0}})}});
    b.add("line", {{"plane", side}, {"points", pointList({{0, 0, 0}, {-20, 60, 0}})}});
    b.add("two_view", {{"drawings", picks({pick("s1"), pick("s2")})}});
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 5}, {60, -10, 38}, {90, 10, 0}})}});
    b.add("two_view", {{"drawings", picks({pick("s1"), pick("s4")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-P003"));
    QVERIFY(!b.result("s3").problem->where.empty());
    QCOMPARE(b.code("s5"), std::string("LM-P003")); // not planar
    QVERIFY(b.result("s5").problem->measured->value > 1);
    b.set("s3", "planes", picks({pick("world", "plane", "front"), pick("world", "plane", "side")}));
    b.run();
    VERIFY_STEP(b, "s3");
    const auto& c = b.curve("s3");
    QCOMPARE(c.segments().size(), size_t(1));
    QVERIFY(std::holds_alternative<nurbs::LineSegment>(c.segments()[0]));
    // It looks like either line from its side.
    const auto &f = b.curve("s1"), &s = b.curve("s2");
    for (double t : {0.0, 1.0}) {
      VERIFY_AT_MOST(std::min((c.at(t) - f.start()).cwiseProduct(Vec3(1, 0, 1)).norm(),
                              (c.at(t) - f.end()).cwiseProduct(Vec3(1, 0, 1)).norm()),
                     1e-9);
      VERIFY_AT_MOST(std::min((c.at(t) - s.start()).cwiseProduct(Vec3(0, 1, 1)).norm(),
                              (c.at(t) - s.end()).cwiseProduct(Vec3(0, 1, 1)).norm()),
                     1e-9);
    }
  }
};

static test::Register<TwoViewStepTest> registeredTwoViewStepTest;
#include "two_view_test.moc"
