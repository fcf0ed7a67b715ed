#include "nurbs/measure/arc_length.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class SplitCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void piecesLieOnTheCurveAndLastTogether() {
    Bench b;
    b.add("spline", {{"points", pointList({{0, 0, 0}, {30, 20, 0}, {60, -10, 0}, {90, 10, 0}})}});
    b.add("line", {{"points", pointList({{45, -50, 0}, {45, 50, 0}})}});
    b.add("split_curve", {{"curve", picks({pick("s1")})}, {"by", picks({pick("s2")})}});
    b.add("split_curve", {{"curve", picks({pick("s1")})},
                          {"at", json::array({{{"id", "a"}, {"fraction", 0.25}}, {{"id", "b"}, {"fraction", 0.5}}})}});
    b.run();
    VERIFY_STEP(b, "s3");
    QCOMPARE(b.result("s3").outcome->outputs.size(), size_t(2));
    VERIFY_AT_MOST(std::abs(b.curve("s3").end().x() - 45), 1e-9);
    VERIFY_STEP(b, "s4");
    double sum = 0;
    std::vector<double> lengths;
    for (const auto& o : b.result("s4").outcome->outputs) {
      lengths.push_back(nurbs::ArcLength(*std::get<recipe::CurvePtr>(o.object)).total());
      sum += lengths.back();
    }
    QCOMPARE(lengths.size(), size_t(3));
    VERIFY_AT_MOST(std::abs(lengths[0] - 0.25 * sum), 1e-5);
    VERIFY_AT_MOST(std::abs(lengths[2] - 0.5 * sum), 1e-5);
  }

  void whatMissesIsNamedAndClosedCurvesOpen() {
    Bench b;
    b.add("ring", {{"width", 40}});
    b.add("line", {{"points", pointList({{100, 0, 0}, {100, 50, 0}})}});
    b.add("split_curve", {{"curve", picks({pick("s1")})}, {"by", picks({pick("s2")})}});
    b.add("split_curve", {{"curve", picks({pick("s1")})}, {"at", json::array({{{"id", "a"}, {"fraction", 0.25}}})}});
    b.add("split_curve", {{"curve", picks({pick("s1")})}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-P048"));
    QVERIFY(!b.result("s3").problem->item.empty());
    VERIFY_STEP(b, "s4");
    VERIFY_AT_MOST((b.curve("s4").start() - Vec3(0, 20, 0)).norm(), 1e-6);
    QCOMPARE(b.code("s5"), std::string("LM-P048"));
  }
};

static test::Register<SplitCurveStepTest> registeredSplitCurveStepTest;
#include "split_curve_test.moc"
