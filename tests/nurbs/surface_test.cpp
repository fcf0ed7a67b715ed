#include "nurbs/measure/closest.h"
#include "nurbs/core/continued.h"
#include "nurbs/fit/surface_fit.h"
#include "nurbs/reshape/extend.h"
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

  /// What was there stays; a new span goes on to second order.
  void surfacesAreContinuedAndExtended() {
    const Surface s = form();
    for (const GoOn how : {GoOn::Natural, GoOn::Straight, GoOn::Round}) {
      const auto r = extended(s, {0, 0, 5, 12}, how, {});
      VERIFY_OK(r);
      for (double u : {0.0, 0.21, 0.7, 1.0})
        for (double v : {0.0, 0.4, 1.0}) VERIFY_AT_MOST((r->at(u, v) - s.at(u, v)).norm(), 1e-10);
      for (double u : {0.07, 0.33, 0.81}) {
        const Spline line = r->isoU(u);
        double length = 0;
        Vec3 before = line.at(1);
        for (int i = 1; i <= 400; ++i) {
          const Vec3 p = line.at(1 + (r->lastV() - 1) * i / 400);
          length += (p - before).norm(), before = p;
        }
        VERIFY_AT_MOST(std::abs(length - 12), 0.05);
        // Normal and bending just beyond the old border are those just before it.
        const double e = 1e-7;
        VERIFY_AT_MOST(degFromRad(std::acos(std::min(1.0, r->normal(u, 1 - e).dot(r->normal(u, 1 + e))))), 0.01);
        if (how == GoOn::Straight) continue;
        const auto a = r->curvatures(u, 1 - e), b = r->curvatures(u, 1 + e);
        VERIFY_AT_MOST(std::abs(a.k1 - b.k1) + std::abs(a.k2 - b.k2), 0.01 * (std::abs(a.k1) + std::abs(a.k2)));
      }
    }
    const Surface c = continued(s, {0, 0, 0.1, 0.2});
    for (double u : {0.0, 0.4}) VERIFY_AT_MOST((c.at(u, 0.6) - s.at(u, 0.6)).norm(), 1e-10);
    QVERIFY(c.firstV() < s.firstV() && c.lastV() > s.lastV() && c.smoothness() >= 2);
    // A cylinder goes on straight or round its own circle.
    SurfaceFitOptions o;
    const auto arc = fitSurface([](double u, double v) { return Vec3(80 * u, 40 * std::sin(v), 40 * std::cos(v)); }, o, {});
    VERIFY_OK(arc);
    const auto round = extended(arc->surface, {0, 0, 0, 20}, GoOn::Round, {});
    VERIFY_OK(round);
    for (double u : {0.1, 0.5})
      for (double v : {1.1, 1.3, 1.49}) {
        const Vec3 p = round->at(u, v);
        VERIFY_AT_MOST(std::abs(std::hypot(p.y(), p.z()) - 40), 0.002);
      }
    VERIFY_AT_MOST(std::abs(std::atan2(round->at(0.5, round->lastV()).y(), round->at(0.5, round->lastV()).z()) - 1.5), 1e-4);
    const auto pole = extended(sphere(20), {0, 0, 3, 0}, GoOn::Round, {});
    QVERIFY(!pole);
    QCOMPARE(pole.error().code, std::string("LM-C030"));
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
