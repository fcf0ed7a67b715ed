#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class RefitCurveStepTest : public QObject {
  Q_OBJECT
private slots:
  void everyWaySaysHowFarItMoved() {
    Bench b;
    b.add("spline",
          {{"points", pointList({{0, 0, 0}, {20, 22, 4}, {45, 18, 9}, {70, -12, 3}, {95, 0, 0}, {120, 9, -4}})}});
    const auto add = [&](json in) {
      in["curve"] = picks({pick("s1")});
      return b.add("refit_curve", in);
    };
    const std::string within = add({{"way", "within"}, {"within", 0.05}}),
                      spans = add({{"way", "spans"}, {"spans", 3}, {"degree", 4}}),
                      insert = add({{"way", "insert"}, {"at", 0.4}}), raise = add({{"way", "raise"}, {"degree", 6}}),
                      reverse = add({{"way", "reverse"}});
    b.run();
    for (const auto& id : {within, spans, insert, raise, reverse}) VERIFY_STEP(b, id);
    const auto spline = [&](const std::string& id) { return std::get<nurbs::Spline>(b.curve(id).segments()[0]); };
    const auto off = [&](const std::string& id) { return nurbs::deviationFrom(b.curve("s1"), b.curve(id)).mm; };
    VERIFY_AT_MOST(off(within), 0.05);
    QCOMPARE(spline(spans).spans(), 3);
    QCOMPARE(spline(spans).degree(), 4);
    QVERIFY(b.result(spans).outcome->notes.size() == 1); // far off, and said so
    VERIFY_AT_MOST(std::abs(b.result(spans).outcome->notes[0].measured->value - off(spans)), 1e-9);
    VERIFY_AT_MOST(off(insert), 1e-9);
    QCOMPARE(spline(insert).size(), spline("s1").size() + 1);
    VERIFY_AT_MOST(off(raise), 1e-9);
    QCOMPARE(spline(raise).degree(), 6);
    VERIFY_AT_MOST((b.curve(reverse).start() - b.curve("s1").end()).norm(), 1e-12);
  }

  void polylinesBecomeSmoothAndCornersStayWhereAskedFor() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {30, 20, 0}, {60, 0, 0}, {90, 25, 0}})}});
    b.add("refit_curve", {{"curve", picks({pick("s1")})}, {"way", "joints"}, {"degree", 3}});
    b.add("refit_curve", {{"curve", picks({pick("s1")})}, {"way", "within"}, {"within", 0.5}, {"corners", false}});
    b.add("refit_curve", {{"curve", picks({pick("s1")})}, {"way", "within"}, {"within", 0.5}});
    b.run();
    QVERIFY(b.curve("s2").corners({1}).empty());
    for (int i = 0; i <= 3; ++i)
      VERIFY_AT_MOST(nurbs::closestPoint(b.curve("s2"), b.curve("s1").at(i)).distanceMm, 1e-9);
    QVERIFY(b.curve("s3").corners({1}).empty());
    VERIFY_AT_MOST(nurbs::deviationFrom(b.curve("s1"), b.curve("s3")).mm, 0.5);
    QCOMPARE(b.curve("s4").corners({1}).size(), size_t(2));
  }

  void smoothingSpendsItsLimitOnFairness() {
    Bench b;
    std::vector<std::array<double, 3>> pts;
    for (int i = 0; i <= 24; ++i) pts.push_back({4.0 * i, 10 * std::sin(i / 6.0) + (i % 2 ? 0.04 : -0.04), 0});
    b.add("spline", {{"points", pointList(pts)}});
    b.add("refit_curve", {{"curve", picks({pick("s1")})}, {"way", "smooth"}, {"within", 0.1}});
    b.run();
    VERIFY_STEP(b, "s2");
    VERIFY_AT_MOST(nurbs::deviationFrom(b.curve("s1"), b.curve("s2")).mm, 0.1);
    const auto wiggle = [&](const nurbs::Path& p) {
      double sum = 0, before = 0;
      for (int i = 0; i <= 500; ++i) {
        nurbs::CurveDerivatives d;
        p.derivatives(std::min(p.last() * i / 500, std::nextafter(p.last(), 0.0)), 2, d);
        const double k = nurbs::curvature(d);
        if (i > 0) sum += std::abs(k - before);
        before = k;
      }
      return sum;
    };
    VERIFY_AT_MOST(wiggle(b.curve("s2")), 0.1 * wiggle(b.curve("s1")));
  }
};

static test::Register<RefitCurveStepTest> registeredRefitCurveStepTest;
#include "refit_curve_test.moc"
