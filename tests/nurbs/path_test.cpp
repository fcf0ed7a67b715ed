#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;

class PathTest : public QObject {
  Q_OBJECT
private slots:
  void arcLengthsAreTheTrueOnes() {
    const Path ring = *circle({}, 80);
    VERIFY_AT_MOST(std::abs(ArcLength(ring).total() - 80 * kPi), 1e-7);
    const Path box = *roundedRectangle({}, 60, 40, 8, {0.001});
    QCOMPARE(box.segments().size(), size_t(8));
    const ArcLength l(box);
    VERIFY_AT_MOST(std::abs(l.total() - (2 * 44 + 2 * 24 + 2 * kPi * 8)), 1e-7);
    for (double f : {0.05, 0.31, 0.77}) {
      const double t = exactParameterAt(box, l, f * l.total());
      VERIFY_AT_MOST(std::abs(l.lengthAt(t) - f * l.total()), 1e-6);
      VERIFY_AT_MOST(std::abs(l.parameterAt(f * l.total()) - t), 1e-6);
    }
    // Ellipse perimeter by Gauss-Kummer series, independent of our quadrature.
    const double a = 35, b = 20, h = std::pow((a - b) / (a + b), 2);
    double sum = 1, c = 0.5;
    for (int n = 1; n < 30; ++n) {
      if (n > 1) c *= (2.0 * n - 3) / (2.0 * n);
      sum += c * c * std::pow(h, n);
    }
    VERIFY_AT_MOST(std::abs(ArcLength(*ellipse({}, 70, 40, {0.001})).total() - kPi * (a + b) * sum), 1e-5);
  }

  void cornersAreFoundAndOnlyThey() {
    QCOMPARE(polygon({}, 50, 6, 0, {0.001})->corners({1.0}).size(), size_t(6));
    QCOMPARE(polygon({}, 50, 6, 5, {0.001})->corners({1.0}).size(), size_t(0));
    QVERIFY(circle({}, 5)->closed());
    Points zig(5, 3);
    zig << 0, 0, 0, 10, 5, 0, 20, 0, 0, 30, 5, 0, 40, 0, 0;
    const Path p = *Path::make({*controlPointSpline(zig, 1, false)}, {0.001});
    QCOMPARE(p.corners({1.0}).size(), size_t(3));
  }

  void closestPointBeatsADenseSearch() {
    Points P(9, 3);
    for (int i = 0; i < 9; ++i) P.row(i) << 20 * std::cos(1.1 * i), 11.0 * i, 20 * std::sin(1.7 * i);
    const Path path = *Path::make({*interpolate(P, {})}, {0.001});
    for (const Vec3& q : {Vec3(5, 40, 3), Vec3(-30, 80, 10), Vec3(0, -20, 0), Vec3(100, 44, -50)}) {
      double dense = 1e300;
      for (int i = 0; i <= 20000; ++i) dense = std::min(dense, (path.at(i / 20000.0) - q).norm());
      const ClosestOnPath c = closestPoint(path, q);
      VERIFY_AT_MOST(c.distanceMm, dense + 1e-9);
      VERIFY_AT_MOST(dense - c.distanceMm, 1e-3);
    }
  }

  void selfCrossingsAreFound() {
    Points P(4, 3);
    P << 0, 0, 0, 40, 30, 0, 40, 0, 0, 0, 30, 0;
    InterpolationOptions o;
    o.closed = true;
    QVERIFY(!selfCrossings(*Path::make({*interpolate(P, o)}, {0.001}), {0.001}).empty());
    QVERIFY(selfCrossings(*superellipse({}, 60, 40, 3, {}), {0.001}).empty());
    QVERIFY(selfCrossings(*polygon({}, 60, 5, 0, {0.001}), {0.001}).empty());
  }

  void superellipseFollowsItsFormula() {
    const Path p = *superellipse({}, 60, 40, 2.6, {});
    for (int i = 0; i < 777; ++i) {
      const Vec3 q = p.at(i / 777.0);
      const double f = std::pow(std::abs(q.x()) / 30, 2.6) + std::pow(std::abs(q.y()) / 20, 2.6);
      VERIFY_AT_MOST(std::abs(f - 1), 2.6 * 0.0005 / 20 * 1.5);
    }
  }

  /// Where the speed changes much within a span, too, places by length are where the length says.
  void placesByLengthAreExactWhereTheSpeedChanges() {
    Points p(6, 3);
    p << 0, 0, 0, 0.5, 0.3, 0, 1.5, 0.8, 0.2, 30, 20, 5, 60, 21, 6, 61, 21, 6;
    const Path path = *Path::make({Spline::trusted(5, clampedKnots(5, {0, 1}), p)}, {0.001});
    const ArcLength table(path);
    for (int i = 1; i < 200; ++i) {
      const double s = table.total() * i / 200;
      VERIFY_AT_MOST((path.at(table.parameterAt(s)) - path.at(exactParameterAt(path, table, s))).norm(),
                     1e-7 * table.total());
    }
  }
};

static test::Register<PathTest> registeredPathTest;
#include "path_test.moc"
