#include "nurbs/measure/closest.h"
#include "nurbs/core/kernels.h"
#include "nurbs/on_skin/offset.h"
#include "nurbs/measure/surface_measure.h"
#include "shapes/vessels.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

namespace {

Surface formSurface(int sections = 6) { return loft(formSections(sections), {}, {})->strips[0]; }

Surface tube(double radius, double height) {
  return loft({{*circle(levelAt(0), 2 * radius)}, {*circle(levelAt(height), 2 * radius)}}, {}, {})->strips[0];
}

} // namespace

class MeasureTest : public QObject {
  Q_OBJECT
private slots:
  void theFarthestPlaceOfAPathIsFoundBetweenItsSamples() {
    const EllipseArc arc{Vec3(3, 0, 1), Vec3(40, 0, 0), Vec3(0, 0, 25), 0.0, 2 * kPi};
    const auto ellipse = Path::make({arc}, {0.001});
    VERIFY_OK(ellipse);
    const Vec3 d = Vec3(1, 0, 2).normalized();
    const auto far = farthestAlong(*ellipse, d);
    // The support function of an ellipse.
    const double exact = Vec3(3, 0, 1).dot(d) + std::hypot(40 * d.x(), 25 * d.z());
    VERIFY_AT_MOST(std::abs(far.point.dot(d) - exact), 1e-9);
    const auto line =
        Path::make({LineSegment{Vec3(0, 0, 0), Vec3(10, 0, 4)}, LineSegment{Vec3(10, 0, 4), Vec3(20, 0, -7)}}, {0.001});
    VERIFY_OK(line);
    VERIFY_AT_MOST((farthestAlong(*line, Vec3::UnitZ()).point - Vec3(10, 0, 4)).norm(), 1e-9);   // a corner
    VERIFY_AT_MOST((farthestAlong(*line, -Vec3::UnitZ()).point - Vec3(20, 0, -7)).norm(), 1e-9); // an end
  }

  void kernelsAddUpWhatTheySay() {
    const std::vector<double> rows{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12}, weights{0.5, -1, 2};
    std::vector<double> out(3, 99);
    combineRows(rows.data(), 4, weights.data(), 3, 3, out.data());
    for (int c = 0; c < 3; ++c) QCOMPARE(out[c], 0.5 * rows[c] - rows[4 + c] + 2 * rows[8 + c]);
    addScaled(-2, rows.data(), out.data(), 3);
    for (int c = 0; c < 3; ++c) QCOMPARE(out[c], 0.5 * rows[c] - rows[4 + c] + 2 * rows[8 + c] - 2 * rows[c]);
  }

  void linesAndGridsAgreeWithSinglePoints() {
    const Surface s = formSurface();
    std::vector<double> us, vs;
    for (int i = 0; i <= 11; ++i) us.push_back(s.firstU() + (s.lastU() - s.firstU()) * i / 11);
    for (int j = 0; j <= 7; ++j) vs.push_back(s.firstV() + (s.lastV() - s.firstV()) * j / 7);
    std::vector<Vec3> points, normals;
    evaluateGrid(s, us, vs, points, normals);
    QCOMPARE(points.size(), us.size() * vs.size());
    for (size_t i = 0; i < us.size(); ++i)
      for (size_t j = 0; j < vs.size(); ++j) {
        const size_t k = i * vs.size() + j;
        VERIFY_AT_MOST((points[k] - s.at(us[i], vs[j])).norm(), 1e-11);
        VERIFY_AT_MOST((normals[k] - s.normal(us[i], vs[j])).norm(), 1e-9);
        const PointAndNormal one = s.pointAndNormal(us[i], vs[j]);
        VERIFY_AT_MOST((one.point - points[k]).norm() + (one.normal - normals[k]).norm(), 1e-9);
      }
  }

  void polesHaveNormalsOnLinesToo() {
    LoftOptions o;
    o.start = Meets::Perpendicular;
    const Surface s = loft(tumblerSections(), o, {})->strips[0];
    for (double u : {0.0, 0.13, 0.5, 0.77}) {
      const Vec3 n = SurfaceLine(s, u).evaluate(s.firstV()).normal;
      VERIFY_AT_MOST(std::abs(std::abs(n.z()) - 1), 1e-6);
    }
  }

  void areaAndVolumeOfATubeAreThoseOfTheFormula() {
    const double r = 25, h = 70;
    const SurfaceIntegrals i = integralsOf(tube(r, h));
    VERIFY_AT_MOST(std::abs(i.areaMm2 / (2 * kPi * r * h) - 1), 1e-6);
    // The moment of the wall alone: r per unit of area over 3.
    VERIFY_AT_MOST(std::abs(std::abs(i.momentMm3) / (2 * kPi * r * h * r / 3) - 1), 1e-6);
  }

  void integralsAgreeWithAFineSum() {
    const Surface s = formSurface();
    double area = 0, moment = 0;
    const int n = 600;
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        SurfaceDerivatives d;
        s.derivatives((i + 0.5) / n, (j + 0.5) / n, 1, d);
        const Vec3 w = d(1, 0).cross(d(0, 1)) / double(n * n);
        area += w.norm();
        moment += d(0, 0).dot(w) / 3;
      }
    const SurfaceIntegrals exact = integralsOf(s);
    VERIFY_AT_MOST(std::abs(exact.areaMm2 / area - 1), 1e-5);
    VERIFY_AT_MOST(std::abs(exact.momentMm3 / moment - 1), 1e-5);
  }

  void theBoxTouchesTheSurfaceAndHoldsIt() {
    const Surface s = formSurface();
    const Extent box = extentOf(s);
    Vec3 low = Vec3::Constant(1e9), high = -low;
    for (int i = 0; i <= 400; ++i)
      for (int j = 0; j <= 400; ++j) {
        const Vec3 p = s.at(i / 400.0, j / 400.0);
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
      }
    for (int k = 0; k < 3; ++k) {
      VERIFY_AT_MOST(box.low[k], low[k] + 1e-9);
      VERIFY_AT_MOST(high[k], box.high[k] + 1e-9);
      VERIFY_AT_MOST(low[k] - box.low[k], 0.01);
      VERIFY_AT_MOST(box.high[k] - high[k], 0.01);
    }
  }

  void theLargestValueIsFoundInsideASpan() {
    const Surface s = formSurface();
    const auto hill = [](double u, double v) { return -std::pow(u - 0.337, 2) - 3 * std::pow(v - 0.611, 2); };
    const LargestOnSurface top = largestOn(s, 2, 2, hill);
    VERIFY_AT_MOST(std::abs(top.u - 0.337) + std::abs(top.v - 0.611), 1e-6);
    // On the border too.
    const LargestOnSurface edge = largestOn(s, 2, 2, [](double u, double v) { return u + v; });
    QCOMPARE(edge.u, s.lastU());
    QCOMPARE(edge.v, s.lastV());
  }

  void repeatedBreakpointsFollowAKinkWithFewSpans() {
    // A curve whose second derivative jumps at 0.4: C1 there, smooth elsewhere.
    CurveFamily f;
    f.curves = 1;
    f.sample = [](double t, double* out) {
      const double s = t - 0.4, bend = s > 0 ? 40 * s * s : -25 * s * s;
      out[0] = 60 * t, out[1] = bend + 5 * std::sin(3 * t), out[2] = std::cos(2 * t);
    };
    LeanOptions o;
    const auto blind = fitLean(f, o);
    VERIFY_OK(blind);
    o.firstBreaks = {0, 0.4, 0.4, 0.4, 0.4, 1};
    const auto kinked = fitLean(f, o);
    VERIFY_OK(kinked);
    VERIFY_AT_MOST(kinked->deviationMm, 0.0005);
    VERIFY_AT_MOST(double(kinked->controls.rows()), 0.5 * double(blind->controls.rows()));
    QCOMPARE(int(std::count(kinked->breaks.begin(), kinked->breaks.end(), 0.4)), 4);
    // And no kink in the tangent: degree 5 with four equal knots is C1.
    const Spline c = kinked->curve(0);
    VERIFY_AT_MOST(angleBetweenRad(c.tangent(0.4 - 1e-9), c.tangent(0.4 + 1e-9)), 1e-6);
  }

  void closedFitsMayHaveARepeatedSeam() {
    // Curvature jumps at the seam and half way round; the tangent is continuous.
    CurveFamily f;
    f.curves = 1;
    f.closed = true;
    f.sample = [](double t, double* out) {
      const double x = t < 0.5 ? t : t - 1;
      const double a = 2 * kPi * t, r = 40 + 30 * std::abs(x) * x * (0.5 - std::abs(x)) * (0.5 - std::abs(x)) * 16;
      out[0] = r * std::cos(a), out[1] = r * std::sin(a), out[2] = 0;
    };
    LeanOptions o;
    o.firstBreaks = {0, 0, 0, 0, 0.25, 0.5, 0.5, 0.5, 0.5, 0.75, 1};
    const auto fit = fitLean(f, o);
    VERIFY_OK(fit);
    const Spline c = fit->curve(0);
    VERIFY_AT_MOST((c.at(0) - c.at(1)).norm(), 1e-12);
    VERIFY_AT_MOST(angleBetweenRad(c.tangent(0), c.tangent(1)), 1e-5);
    double worst = 0;
    for (int i = 0; i < 997; ++i) {
      double p[3];
      f.sample(i / 997.0, p);
      worst = std::max(worst, (c.at(i / 997.0) - Vec3(p[0], p[1], p[2])).norm());
    }
    VERIFY_AT_MOST(worst, 0.0005);
    o.firstBreaks.clear();
    const auto blind = fitLean(f, o);
    VERIFY_OK(blind);
    QVERIFY(fit->controls.rows() < blind->controls.rows());
  }

  void offsetsOfCubicSkinsStayLean() {
    LoftOptions o;
    o.start = Meets::Perpendicular;
    const Surface s = loft(tumblerSections(), o, {})->strips[0];
    for (double d : {2.4, -2.4, 5.0}) {
      OffsetOptions off;
      off.distanceMm = d;
      off.flat[LastV] = levelAt(110);
      const auto r = offsetSurface(s, off, {});
      VERIFY_OK(r);
      VERIFY_AT_MOST(double(r->surface.controlPoints()), 6.0 * s.controlPoints());
      double worst = 0;
      for (int i = 0; i < 40; ++i)
        for (int j = 1; j < 40; ++j) {
          const Vec3 q = r->surface.at(i / 40.0, j / 40.0);
          if (q.z() > 100) continue; // the rim is cut flat beyond the skin's own border
          worst = std::max(worst, std::abs(closestPoint(s, q).distanceMm - std::abs(d)));
        }
      VERIFY_AT_MOST(worst, 0.001);
      for (int i = 0; i <= 60; ++i) VERIFY_AT_MOST(std::abs(r->surface.at(i / 60.0, 1.0).z() - 110), 1e-6);
    }
  }

  void superellipsesNearAnEllipseAreLight() {
    for (double n : {2.05, 2.2, 2.5, 3.0, 3.5, 6.0, 20.0}) {
      const auto p = superellipse({}, 80, 50, n, {});
      VERIFY_OK(p);
      const auto& c = std::get<Spline>(p->segments()[0]);
      if (n <= 3) VERIFY_AT_MOST(double(c.size()), 90.0);
      double worst = 0;
      for (int i = 0; i < 4000; ++i) {
        const Vec3 q = c.at(i / 4000.0);
        // First-order distance from the implicit curve.
        const double x = std::abs(q.x()) / 40, y = std::abs(q.y()) / 25, f = std::pow(x, n) + std::pow(y, n) - 1;
        const double gx = n * std::pow(x, n - 1) / 40, gy = n * std::pow(y, n - 1) / 25;
        worst = std::max(worst, std::abs(f) / std::hypot(gx, gy));
      }
      VERIFY_AT_MOST(worst, 0.0005);
    }
  }
};

static test::Register<MeasureTest> registeredMeasureTest;
#include "measure_test.moc"
