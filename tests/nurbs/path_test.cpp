#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "support/registry.h"

#include <random>

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

  /// Against all pairs, on polylines that cross themselves anywhere.
  void selfCrossingsAreAllThatThereAre() {
    std::mt19937 rng(4);
    std::uniform_real_distribution<double> any(0, 100);
    for (int round = 0; round < 20; ++round) {
      const int n = 40;
      std::vector<Segment> pieces;
      std::vector<Vec3> at;
      for (int i = 0; i <= n; ++i) at.push_back({any(rng), any(rng), 0});
      for (int i = 0; i < n; ++i) pieces.push_back(LineSegment{at[size_t(i)], at[size_t(i) + 1]});
      std::vector<Vec2> pairs;
      const auto cross = [](const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); };
      for (size_t i = 0; i < size_t(n); ++i)
        for (size_t j = i + 2; j < size_t(n); ++j) {
          const Vec2 a = at[i].head<2>(), r = at[i + 1].head<2>() - a, c = at[j].head<2>(), s = at[j + 1].head<2>() - c;
          const double u = cross(c - a, s) / cross(r, s), v = cross(c - a, r) / cross(r, s);
          if (u >= 0 && u < 1 && v >= 0 && v < 1) pairs.push_back(a + u * r);
        }
      const auto found = selfCrossings(*Path::make(pieces, {0.001}), {0.001});
      QCOMPARE(found.size(), pairs.size());
      for (const Vec3& f : found)
        QVERIFY(std::any_of(pairs.begin(), pairs.end(), [&](const Vec2& p) { return (f.head<2>() - p).norm() < 1e-9; }));
    }
  }

  void splinesAreCutAtTheirCornersOnly() {
    std::mt19937 rng(8);
    std::uniform_real_distribution<double> any(-1, 1);
    for (int degree : {1, 2, 3, 5}) {
      Knots knots(size_t(degree) + 1, 0.0);
      std::vector<double> corners;
      for (int k = 1; k < 30; ++k) {
        const int times = degree == 1 ? 1 : k % 4 == 0 ? degree : 1 + k % (degree - 1 + (degree == 2));
        if (times >= degree) corners.push_back(k);
        knots.insert(knots.end(), size_t(times), double(k));
      }
      knots.insert(knots.end(), size_t(degree) + 1, 30.0);
      Points P(Eigen::Index(knots.size()) - degree - 1, 3);
      for (Eigen::Index i = 0; i < P.rows(); ++i) P.row(i) = Vec3(double(i) + 0.3 * any(rng), any(rng), any(rng)).transpose();
      const Spline whole = *Spline::make(degree, knots, P);
      const Path path = *Path::make({whole}, {0.001});
      QCOMPARE(path.segments().size(), corners.size() + 1);
      for (size_t k = 0; k < path.segments().size(); ++k) {
        const auto& part = std::get<Spline>(path.segments()[k]);
        VERIFY_AT_MOST(std::abs(part.first() - (k == 0 ? 0.0 : corners[k - 1])) + std::abs(part.last() - (k == corners.size() ? 30.0 : corners[k])), 1e-12);
        for (int i = 0; i <= 50; ++i) {
          const double u = part.first() + (part.last() - part.first()) * i / 50;
          VERIFY_AT_MOST((part.at(u) - whole.at(u)).norm(), 1e-12);
        }
      }
    }
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
