#include "nurbs/measure/closest.h"
#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

class JoinCurvesStepTest : public QObject {
  Q_OBJECT
private slots:
  /// A smooth curve in pieces, in a random order and direction.
  static std::vector<std::string> pieces(Bench& b, int n) {
    const auto at = [](double t) { return std::array<double, 3>{100 * t, 20 * std::sin(4 * t), 15 * std::cos(3 * t)}; };
    std::vector<std::string> ids;
    for (int k = 0; k < n; ++k) {
      std::vector<std::array<double, 3>> pts;
      for (int i = 0; i <= 12; ++i) pts.push_back(at((k + i / 12.0) / n));
      if (k % 3 == 1) std::reverse(pts.begin(), pts.end());
      ids.push_back(b.add("spline", {{"points", pointList(pts)}, {"degree", 5}}));
    }
    std::swap(ids[1], ids[n - 2]);
    std::swap(ids[2], ids[n / 2]);
    return ids;
  }

  void twelvePiecesBecomeOneSplineWithinTheDeviation() {
    Bench b;
    json list = json::array();
    for (const auto& id : pieces(b, 12)) list.push_back(pick(id));
    const std::string chain = b.add("join_curves", {{"curves", list}});
    const std::string one = b.add("join_curves", {{"curves", list}, {"as", "spline"}, {"within", 0.01}});
    b.run();
    VERIFY_STEP(b, chain);
    QCOMPARE(b.curve(chain).segments().size(), size_t(12));
    VERIFY_STEP(b, one);
    QCOMPARE(b.curve(one).segments().size(), size_t(1));
    const auto& c = std::get<nurbs::Spline>(b.curve(one).segments()[0]);
    for (double u : nurbs::breakpoints(c.knots(), c.degree()))
      if (u > c.first() && u < c.last()) QCOMPARE(nurbs::multiplicity(c.knots(), u), 1);
    double off = 0;
    for (int i = 0; i <= 400; ++i)
      off = std::max(off, nurbs::closestPoint(b.curve(one), b.curve(chain).at(12.0 * i / 400)).distanceMm);
    VERIFY_AT_MOST(off, 0.01);
    QVERIFY(c.size() < 40);
  }

  void gapsAreClosedUpToTheLimitOrTold() {
    Bench b;
    b.add("line", {{"points", pointList({{0, 0, 0}, {50, 0, 0}})}});
    b.add("line", {{"points", pointList({{50, 0.2, 0}, {80, 30, 0}})}});
    b.add("join_curves", {{"curves", picks({pick("s1"), pick("s2")})}});
    b.add("join_curves", {{"curves", picks({pick("s1"), pick("s2")})}, {"gap", 0.5}});
    b.run();
    QCOMPARE(b.code("s3"), std::string("LM-P042"));
    VERIFY_AT_MOST(std::abs(b.result("s3").problem->measured->value - 0.2), 1e-9);
    VERIFY_STEP(b, "s4");
    VERIFY_AT_MOST((b.curve("s4").at(1) - Vec3(50, 0.1, 0)).norm(), 1e-9);
    QCOMPARE(b.result("s4").outcome->notes[0].code, std::string("LM-P105"));
  }
};

static test::Register<JoinCurvesStepTest> registeredJoinCurvesStepTest;
#include "join_curves_test.moc"
