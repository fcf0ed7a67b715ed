#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/core/spline.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

Spline wavy(int degree, int controls) {
  Points P(controls, 3);
  for (int i = 0; i < controls; ++i) P.row(i) << 12.0 * i, 20 * std::sin(1.3 * i), 9 * std::cos(0.7 * i * i);
  std::vector<double> breaks{0.0};
  for (int i = 1; i < controls - degree; ++i) breaks.push_back((i + 0.2 * std::sin(5.0 * i)) / (controls - degree));
  breaks.push_back(1.0);
  return *Spline::make(degree, clampedKnots(degree, breaks), P);
}

double farthest(const Spline& a, const Spline& b) {
  double worst = 0;
  for (int i = 0; i <= 500; ++i) worst = std::max(worst, (a.at(i / 500.0) - b.at(i / 500.0)).norm());
  return worst;
}

} // namespace

class SplineTest : public QObject {
  Q_OBJECT
private slots:
  void derivativesAgreeWithDifferences() {
    const Spline c = wavy(5, 11);
    const double h = 1e-4;
    for (double u : {0.113, 0.42, 0.77}) {
      CurveDerivatives d;
      c.derivatives(u, 3, d);
      VERIFY_AT_MOST((d[1] - (c.at(u + h) - c.at(u - h)) / (2 * h)).norm(), 1e-4 * d[1].norm());
      VERIFY_AT_MOST((d[2] - (c.at(u + h) - 2 * c.at(u) + c.at(u - h)) / (h * h)).norm(), 1e-4 * d[2].norm());
      const Vec3 third = (c.at(u + 2 * h) - 2 * c.at(u + h) + 2 * c.at(u - h) - c.at(u - 2 * h)) / (2 * h * h * h);
      VERIFY_AT_MOST((d[3] - third).norm(), 0.02 * d[3].norm() + 1);
    }
  }

  void editsKeepTheShape() {
    for (int degree = 1; degree <= 5; ++degree) {
      const Spline c = wavy(degree, 10);
      VERIFY_AT_MOST(farthest(c, insertKnot(insertKnot(c, 0.37), 0.37)), 1e-11);
      VERIFY_AT_MOST(farthest(c, refineKnots(c, {0.1, 0.5, 0.5, 0.93})), 1e-11);
      const Spline e = elevate(c, 2);
      QCOMPARE(e.degree(), degree + 2);
      VERIFY_AT_MOST(farthest(c, e), 1e-9);
      QCOMPARE(e.size(), c.size() + 2 * c.spans());
      const RemovedKnots back = removeKnots(refineKnots(c, {0.1, 0.45, 0.45}), {1e-7});
      QCOMPARE(back.removed, 3 - (degree == 1 ? 1 : 0));
      VERIFY_AT_MOST(farthest(c, back.curve), 1e-7);
    }
  }

  void splitPartsJoinAgain() {
    const Spline c = wavy(4, 12);
    const auto parts = split(c, 0.61);
    VERIFY_OK(parts);
    VERIFY_AT_MOST((parts->first.at(0.3) - c.at(0.3)).norm(), 1e-11);
    VERIFY_AT_MOST((parts->second.at(0.8) - c.at(0.8)).norm(), 1e-11);
    const auto whole = join(parts->first, parts->second, {0.001});
    VERIFY_OK(whole);
    VERIFY_AT_MOST(farthest(c, *whole), 1e-9);
    VERIFY_AT_MOST((reversed(c).at(0.2) - c.at(0.8)).norm(), 1e-11);
    QCOMPARE(split(c, 0.0).error().code, std::string("LM-G003"));
    QCOMPARE(join(parts->second, parts->first, {0.001}).error().code, std::string("LM-G004"));
  }

  void interpolationMeetsPointsAndTangents() {
    Points P(7, 3);
    for (int i = 0; i < 7; ++i) P.row(i) << 15 * std::cos(0.8 * i), 15 * std::sin(0.8 * i), 4.0 * i;
    InterpolationOptions o;
    o.startTangent = Vec3(0, 0, 1);
    const auto c = interpolate(P, o);
    VERIFY_OK(c);
    const auto t = parametersFor(P, o.spacing, false);
    for (int i = 0; i < 7; ++i) VERIFY_AT_MOST((c->at(t[i]) - P.row(i).transpose()).norm(), 1e-9);
    VERIFY_AT_MOST(angleBetweenRad(c->tangent(0), {0, 0, 1}), 1e-9);
    for (int degree = 1; degree <= 7; ++degree) {
      InterpolationOptions closed;
      closed.closed = true;
      closed.degree = degree;
      const auto ring = interpolate(P, closed);
      VERIFY_OK(ring);
      CurveDerivatives a, b;
      ring->derivatives(ring->first(), 2, a);
      ring->derivatives(ring->last(), 2, b);
      VERIFY_AT_MOST((a[0] - b[0]).norm(), 1e-9);
      if (degree > 1) VERIFY_AT_MOST((a[1] - b[1]).norm(), 1e-7 * a[1].norm());
      if (degree > 2) VERIFY_AT_MOST((a[2] - b[2]).norm(), 1e-6 * a[2].norm());
    }
  }

  void badInputIsRefusedByName() {
    Points P(3, 3);
    P << 0, 0, 0, 1, 0, 0, 1, 0, 0;
    QCOMPARE(interpolate(P, {}).error().code, std::string("LM-G006"));
    P(2, 1) = std::nan("");
    QCOMPARE(interpolate(P, {}).error().code, std::string("LM-G002"));
    P(2, 1) = 1e300;
    QCOMPARE(Spline::make(2, uniformKnots(2, 1), P).error().code, std::string("LM-G002"));
    QCOMPARE(Spline::make(3, uniformKnots(3, 1), P).error().code, std::string("LM-G001"));
    QCOMPARE(circle({}, -3).error().code, std::string("LM-G005"));
    QCOMPARE(line({1, 2, 3}, {1, 2, 3}, {0.001}).error().code, std::string("LM-G005"));
    QCOMPARE(roundedRectangle({}, 10, 20, 6, {0.001}).error().code, std::string("LM-G009"));
  }
};

static test::Register<SplineTest> registeredSplineTest;
#include "spline_test.moc"
