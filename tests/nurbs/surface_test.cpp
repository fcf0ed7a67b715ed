#include "nurbs/measure/closest.h"
#include "nurbs/core/surface.h"
#include "nurbs/fit/surface_fit.h"
#include "shapes/vessels.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

namespace {

/// A part of a sphere as one spline, pole at the first v.
Surface sphere(double radius) {
  SurfaceFitOptions o;
  o.closedU = true;
  const auto fit = fitSurface(
      [&](double u, double v) {
        const double a = 2 * kPi * u, b = 0.9 * kPi * v;
        return Vec3(radius * std::sin(b) * std::cos(a), radius * std::sin(b) * std::sin(a), -radius * std::cos(b));
      },
      o, {});
  return fit->surface;
}

Surface form() { return loft(formSections(5), {}, {})->strips[0]; }

} // namespace

class SurfaceTest : public QObject {
  Q_OBJECT
private slots:
  void derivativesAgreeWithDifferences() {
    const Surface s = form();
    const double h = 1e-4;
    for (double u : {0.17, 0.52, 0.83})
      for (double v : {0.21, 0.77}) {
        SurfaceDerivatives d;
        s.derivatives(u, v, 3, d);
        const auto at = [&](double du, double dv) { return s.at(u + du * h, v + dv * h); };
        VERIFY_AT_MOST((d(0, 0) - s.at(u, v)).norm(), 1e-12);
        VERIFY_AT_MOST((d(1, 0) - (at(1, 0) - at(-1, 0)) / (2 * h)).norm(), 1e-4 * d(1, 0).norm());
        VERIFY_AT_MOST((d(0, 1) - (at(0, 1) - at(0, -1)) / (2 * h)).norm(), 1e-4 * d(0, 1).norm());
        VERIFY_AT_MOST((d(2, 0) - (at(1, 0) - 2 * at(0, 0) + at(-1, 0)) / (h * h)).norm(), 1e-3 * d(2, 0).norm());
        VERIFY_AT_MOST((d(1, 1) - (at(1, 1) - at(1, -1) - at(-1, 1) + at(-1, -1)) / (4 * h * h)).norm(),
                       1e-3 * d(1, 1).norm() + 1e-3);
        const Vec3 third = (at(2, 0) - 2 * at(1, 0) + 2 * at(-1, 0) - at(-2, 0)) / (2 * h * h * h);
        VERIFY_AT_MOST((d(3, 0) - third).norm(), 0.02 * d(3, 0).norm() + 5);
      }
  }

  void aSphereHasItsCurvatureAndNormalsEverywhere() {
    const double radius = 40;
    const Surface s = sphere(radius);
    VERIFY_AT_MOST(s.controlPoints(), 700);
    for (int i = 0; i < 24; ++i)
      for (int j = 0; j <= 20; ++j) {
        const double u = i / 24.0, v = j / 20.0;
        const Vec3 p = s.at(u, v), n = s.normal(u, v);
        VERIFY_AT_MOST(std::abs(p.norm() - radius), 0.0006);
        VERIFY_AT_MOST(degFromRad(std::min(angleBetweenRad(n, p), angleBetweenRad(n, -p))), 0.01);
        if (j == 0) continue;
        const PrincipalCurvatures k = s.curvatures(u, v);
        VERIFY_AT_MOST(std::abs(std::abs(k.k1) * radius - 1), 0.01);
        VERIFY_AT_MOST(std::abs(std::abs(k.k2) * radius - 1), 0.01);
        VERIFY_AT_MOST(std::abs(k.direction1.dot(k.normal)), 1e-9);
      }
    QVERIFY(s.poleAtFirstV({0.001}) && !s.poleAtLastV({0.001}));
  }

  void isoparametricCurvesAndKnotInsertionKeepTheShape() {
    const Surface s = form();
    const Surface t = insertKnotV(insertKnotU(s, 0.437), 0.613);
    QCOMPARE(t.sizeU(), s.sizeU() + 1);
    QCOMPARE(t.sizeV(), s.sizeV() + 1);
    const Spline across = s.isoU(0.3), along = s.isoV(0.6);
    for (int i = 0; i <= 20; ++i) {
      const double x = i / 20.0;
      VERIFY_AT_MOST((across.at(x) - s.at(0.3, x)).norm(), 1e-11);
      VERIFY_AT_MOST((along.at(x) - s.at(x, 0.6)).norm(), 1e-11);
      VERIFY_AT_MOST((t.at(x, 0.4) - s.at(x, 0.4)).norm(), 1e-10);
      VERIFY_AT_MOST((reversedU(s).at(1 - x, 0.4) - s.at(x, 0.4)).norm(), 1e-11);
    }
    QVERIFY(reversedU(s).normal(0.5, 0.5).dot(s.normal(0.5, 0.5)) < -0.999);
  }

  void closestPointsAreTrueFeet() {
    const Surface s = form();
    for (double u : {0.12, 0.5, 0.91})
      for (double v : {0.08, 0.45, 0.9})
        for (double d : {-3.0, 0.0, 4.0}) {
          const auto c = closestPoint(s, s.at(u, v) + d * s.normal(u, v));
          VERIFY_AT_MOST(std::abs(c.distanceMm - std::abs(d)), 1e-7);
          VERIFY_AT_MOST(std::abs(c.u - u) + std::abs(c.v - v), 1e-5);
        }
  }

  void fitsKeepTheirBordersExactly() {
    SurfaceFitOptions o;
    const auto f = [](double u, double v) { return Vec3(80 * u, 60 * v, 7 * std::sin(3 * u) * v * (1 - v)); };
    const auto r = fitSurface(f, o, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->deviationMm, 0.0005);
    for (int i = 0; i <= 50; ++i) {
      VERIFY_AT_MOST(std::abs(r->surface.at(i / 50.0, 0).z()), 1e-12);
      VERIFY_AT_MOST(std::abs(r->surface.at(i / 50.0, 1).y() - 60), 1e-9);
    }
    Context stopped;
    stopped.cancel.cancel();
    QVERIFY(isCancelled(fitSurface(f, o, stopped).error()));
  }

  void bandedLuSolvesCollocationSystems() {
    const int n = 30;
    std::vector<double> t;
    for (int i = 0; i < n; ++i) t.push_back(std::pow(i / (n - 1.0), 1.3));
    Rows values(n, 2);
    for (int i = 0; i < n; ++i) values.row(i) << std::sin(5 * t[i]), std::cos(3 * t[i]);
    for (int degree = 1; degree <= 7; ++degree) {
      Rows start(1, 2), none(0, 2);
      start << 5, 0;
      const auto r = interpolateRows(t, values, degree, degree > 1 ? start : none, none);
      VERIFY_OK(r);
      double N[kMaxDegree + 1];
      for (int i = 0; i < n; ++i) {
        const int f = basisFunctions(r->knots, degree, t[i], N);
        Eigen::RowVectorXd v = -values.row(i);
        for (int j = 0; j <= degree; ++j) v += N[j] * r->controls.row(f + j);
        VERIFY_AT_MOST(v.norm(), 1e-10);
      }
    }
  }
};

static test::Register<SurfaceTest> registeredSurfaceTest;
#include "surface_test.moc"
