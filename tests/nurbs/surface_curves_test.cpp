#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/curves/shapes.h"
#include "nurbs/on_skin/surface_curves.h"
#include "support/registry.h"

#include <map>
#include <random>
#include <set>

using namespace lumsk;
using namespace lumsk::nurbs;

class SurfaceCurvesTest : public QObject {
  Q_OBJECT

  /// A skin over [0, 100] x [0, 80]: z a random spline, or given by a function at its Greville points.
  static Surface relief(const std::function<double(double, double)>& height, int spans = 6) {
    const Knots U = uniformKnots(3, spans);
    const auto g = greville(U, 3);
    const int n = int(g.size());
    Points grid(n * n, 3);
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) grid.row(i * n + j) << 100 * g[i], 80 * g[j], height(100 * g[i], 80 * g[j]);
    return Surface::trusted(3, 3, U, U, grid, false);
  }

  static Surface randomRelief(int seed, double wild) {
    std::mt19937 r(seed);
    std::uniform_real_distribution<double> d(-wild, wild);
    return relief([&](double, double) { return d(r); });
  }

  static CurvesOnSurface meet(const Surface& a, const Surface& b) {
    const auto other = std::make_shared<NearestOnSurface>(b);
    const auto r = zeroCurves(a, surfaceField(a, other), 0.0005,
                              [&](const Vec2& uv) { return !other->foot(a.at(uv.x(), uv.y())).beyond; }, {});
    if (!r) qWarning("%s %s", r.error().code.c_str(), sentence(r.error()).c_str());
    return r ? *r : CurvesOnSurface{};
  }

  /// Zero lines of a function over the rectangle by marching squares on a fine grid, which knows nothing of surfaces:
  /// number of connected lines and their length.
  static std::pair<int, double> marched(const std::function<double(double, double)>& f, int n = 500) {
    std::vector<double> v(size_t((n + 1) * (n + 1)));
    for (int i = 0; i <= n; ++i)
      for (int j = 0; j <= n; ++j) v[size_t(i * (n + 1) + j)] = f(double(i) / n, double(j) / n);
    const auto at = [&](int i, int j) { return v[size_t(i * (n + 1) + j)]; };
    std::map<std::array<int, 3>, std::vector<std::array<int, 3>>> next; // edge (i, j, direction) -> edges joined to it
    std::map<std::array<int, 3>, Vec2> place;
    const auto cross = [&](int i, int j, int dir) {
      const int i2 = i + (dir == 0), j2 = j + (dir == 1);
      const double a = at(i, j), b = at(i2, j2);
      if ((a > 0) == (b > 0)) return false;
      const double w = a / (a - b);
      place[{i, j, dir}] = Vec2((i + w * (i2 - i)) * 100.0 / n, (j + w * (j2 - j)) * 80.0 / n);
      return true;
    };
    double length = 0;
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        std::vector<std::array<int, 3>> e;
        if (cross(i, j, 0)) e.push_back({i, j, 0});
        if (cross(i, j, 1)) e.push_back({i, j, 1});
        if (cross(i, j + 1, 0)) e.push_back({i, j + 1, 0});
        if (cross(i + 1, j, 1)) e.push_back({i + 1, j, 1});
        for (size_t k = 0; k + 1 < e.size(); k += 2) {
          next[e[k]].push_back(e[k + 1]);
          next[e[k + 1]].push_back(e[k]);
          length += (place[e[k]] - place[e[k + 1]]).norm();
        }
      }
    std::set<std::array<int, 3>> seen;
    int count = 0;
    for (const auto& [edge, list] : next) {
      if (seen.count(edge)) continue;
      ++count;
      std::vector<std::array<int, 3>> todo{edge};
      while (!todo.empty()) {
        const auto x = todo.back();
        todo.pop_back();
        if (!seen.insert(x).second) continue;
        for (const auto& y : next[x]) todo.push_back(y);
      }
    }
    return {count, length};
  }

  static double planLength(const CurvesOnSurface& r) {
    double sum = 0;
    for (const auto& c : r.curves) {
      const Points p = polyline(c.path, 12);
      for (Eigen::Index i = 1; i < p.rows(); ++i) sum += (p.row(i) - p.row(i - 1)).head<2>().norm();
    }
    return sum;
  }

  static double offBoth(const CurvesOnSurface& r, const Surface& a, const Surface& b) {
    double worst = 0;
    for (const auto& c : r.curves) {
      const Points p = polyline(c.path, 3);
      for (Eigen::Index i = 0; i < p.rows(); ++i)
        for (const Surface* s : {&a, &b}) worst = std::max(worst, closestPoint(*s, p.row(i).transpose()).distanceMm);
    }
    return worst;
  }

  /// The first place well inside where a relief's height has an extreme, or a saddle.
  static std::optional<Vec2> critical(const Surface& s, bool saddle) {
    for (int k = 0; k < 400; ++k) {
      Vec2 p(0.1 + 0.8 * (k % 20) / 19, 0.1 + 0.8 * (k / 20) / 19);
      SurfaceDerivatives d;
      for (int it = 0; it < 30; ++it) {
        s.derivatives(p.x(), p.y(), 2, d);
        Eigen::Matrix2d H;
        H << d(2, 0).z(), d(1, 1).z(), d(1, 1).z(), d(0, 2).z();
        const Vec2 step = H.inverse() * Vec2(d(1, 0).z(), d(0, 1).z());
        p = (p - step).cwiseMax(0.0).cwiseMin(1.0);
        if (step.norm() > 1e-13) continue;
        const bool inside = p.minCoeff() > 0.1 && p.maxCoeff() < 0.9;
        if (inside && std::abs(H.determinant()) > 2000 && (H.determinant() < 0) == saddle) return p;
        break;
      }
    }
    return {};
  }

private slots:
  void twentyPairsThatTouchSomewhereLoseNothing() {
    int extremes = 0, saddles = 0;
    for (int seed = 1; seed <= 10; ++seed)
      for (bool saddle : {false, true}) {
        // Two reliefs whose heights differ by a third one: where that has an extreme or a saddle at nought they touch.
        const Surface a = randomRelief(seed, 8), difference = randomRelief(500 + seed, 6);
        const auto at = critical(difference, saddle);
        if (!at) continue;
        ++(saddle ? saddles : extremes);
        const double level = difference.at(at->x(), at->y()).z();
        Points grid = a.grid();
        grid.col(2) += difference.grid().col(2);
        grid.col(2).array() -= level;
        const Surface b = Surface::trusted(3, 3, a.knotsU(), a.knotsV(), grid, false);
        const auto r = meet(a, b);
        const auto [count, length] = marched([&](double u, double v) { return difference.at(u, v).z() - level; });
        const auto said = QString("seed %1 %2").arg(seed).arg(saddle ? "saddle" : "extreme").toStdString();
        QVERIFY2(std::abs(planLength(r) - length) < 0.01 * length + 0.5, said.c_str());
        VERIFY_AT_MOST(offBoth(r, a, b), 0.0005);
        const Vec3 place = a.at(at->x(), at->y());
        double nearest = 1e300;
        for (const Vec3& t : r.touches) nearest = std::min(nearest, (t - place).norm());
        if (saddle) // branches run straight through it
          for (const auto& c : r.curves) nearest = std::min(nearest, closestPoint(c.path, place).distanceMm);
        QVERIFY2(nearest < 0.02, (said + " " + std::to_string(nearest)).c_str());
      }
    QVERIFY(extremes >= 8 && saddles >= 8);
  }

  void randomSkinsMeetInAllTheirBranches() {
    int most = 0;
    for (int seed = 1; seed <= 40; ++seed) {
      const Surface a = randomRelief(seed, 14), b = randomRelief(1000 + seed, seed % 3 == 0 ? 1 : 14);
      const auto r = meet(a, b);
      // Both have the same plan coordinates, so that they meet where their heights agree.
      const auto [count, length] = marched([&](double u, double v) { return a.at(u, v).z() - b.at(u, v).z(); }, 300);
      most = std::max(most, count);
      QVERIFY2(int(r.curves.size()) == count,
               qPrintable(QString("seed %1: %2 branches, %3 marched").arg(seed).arg(r.curves.size()).arg(count)));
      VERIFY_AT_MOST(std::abs(planLength(r) - length), 0.01 * length);
      if (seed % 5 == 0) VERIFY_AT_MOST(offBoth(r, a, b), 0.0005);
    }
    QVERIFY(most >= 4);
  }

  void fiftyProjectionsAreWholeAndLieOnTheSkin() {
    for (int seed = 1; seed <= 50; ++seed) {
      const Surface s = randomRelief(seed, 12);
      const auto on = std::make_shared<NearestOnSurface>(s);
      std::mt19937 r(seed);
      std::uniform_real_distribution<double> x(-5, 5), y(5, 75), z(40, 60);
      Points pts(6, 3);
      for (int i = 0; i < 6; ++i) pts.row(i) << 10 + 16 * i + x(r), y(r), z(r);
      const Spline c = *interpolate(pts, {});
      // Closed off by the rectangle, the image is the curve's part over it, in as many pieces.
      const Surface curtain = extrudedSurface(c, Vec3(0, 0, -120), Vec3(0, 0, 20));
      const auto image = zeroCurves(curtain, surfaceField(curtain, on), 0.0005,
                                    [&](const Vec2& uv) { return !on->foot(curtain.at(uv.x(), uv.y())).beyond; }, {});
      VERIFY_OK(image);
      double over = 0;
      Vec3 before = c.at(0);
      for (int i = 1; i <= 4000; ++i) {
        const Vec3 p = c.at(i / 4000.0), m = 0.5 * (p + before);
        if (m.x() > 0 && m.x() < 100 && m.y() > 0 && m.y() < 80) over += (p - before).head<2>().norm();
        before = p;
      }
      QVERIFY2(std::abs(planLength(*image) - over) < 0.002 * over,
               qPrintable(QString("seed %1: %2 mm of %3 mm").arg(seed).arg(planLength(*image)).arg(over)));
      Points flat = c.points();
      flat.col(2).setZero();
      const Path under = *Path::make({Spline::trusted(c.degree(), c.knots(), flat)}, {1e-3});
      for (const auto& k : image->curves) {
        const Points p = polyline(k.path, 1);
        for (Eigen::Index i = 0; i < p.rows(); ++i) {
          const Vec3 q = p.row(i).transpose();
          VERIFY_AT_MOST(closestPoint(s, q).distanceMm, 0.0005);
          VERIFY_AT_MOST(closestPoint(under, Vec3(q.x(), q.y(), 0)).distanceMm, 0.0005);
        }
      }
    }
  }

  void smallLoopsAndTouchesAreNotLost() {
    const auto bump = [](double x, double y) { return -0.01 * (std::pow(x - 50, 2) + std::pow(y - 40, 2)); };
    const Surface dome = relief(bump, 8);
    const double top = dome.at(0.5, 0.5).z();
    for (double below : {1.0, 0.1, 0.01, 0.002}) {
      const Surface flat = relief([&](double, double) { return top - below; });
      const auto r = meet(dome, flat);
      QCOMPARE(r.curves.size(), size_t(1));
      QVERIFY(r.curves[0].path.closed());
      VERIFY_AT_MOST(std::abs(planLength(r) - 2 * kPi * std::sqrt(below / 0.01)), 0.05 * std::sqrt(below / 0.01));
    }
    const auto touch = meet(dome, relief([&](double, double) { return top; }));
    QCOMPARE(touch.curves.size(), size_t(0));
    QCOMPARE(touch.touches.size(), size_t(1));
    VERIFY_AT_MOST((touch.touches[0] - Vec3(50, 40, top)).norm(), 0.01);
  }

  void branchesThatCrossRunStraightThrough() {
    // A saddle and its tangent plane: two straight lines; moved a little, two separate branches.
    const Surface saddle = relief([](double x, double y) { return 0.01 * (x - 50) * (y - 40); });
    const auto r = meet(saddle, relief([](double, double) { return 0.0; }));
    VERIFY_AT_MOST(std::abs(planLength(r) - 180), 0.01);
    QCOMPARE(r.curves.size(), size_t(2));
    const auto moved = meet(saddle, relief([](double, double) { return 0.05; }));
    QCOMPARE(moved.curves.size(), size_t(2));
    VERIFY_AT_MOST(offBoth(moved, saddle, relief([](double, double) { return 0.05; })), 0.0005);
  }

  void contactAlongACurveIsACurve() {
    // A trough and a plane that it rests on.
    const Surface trough = relief([](double x, double y) { return 0.01 * std::pow(y - 40, 2) + 0.0 * x; }, 8);
    const double bottom = trough.at(0.5, 0.5).z();
    const auto r = meet(trough, relief([&](double, double) { return bottom; }));
    QCOMPARE(r.curves.size(), size_t(1));
    QVERIFY(r.curves[0].contact);
    VERIFY_AT_MOST(std::abs(planLength(r) - 100), 0.2);
  }

  void planesSilhouettesAndDistancesAreFollowed() {
    const Surface a = randomRelief(7, 10);
    const auto everywhere = [](const Vec2&) { return true; };
    const Frame plane = Frame::fromNormal({50, 40, 1}, {1, 0.4, 0.3});
    const auto cut = zeroCurves(a, planeField(a, plane), 0.0005, everywhere, {});
    QVERIFY(cut && !cut->curves.empty());
    for (const auto& c : cut->curves) {
      const Points p = polyline(c.path, 6);
      for (Eigen::Index i = 0; i < p.rows(); ++i) {
        VERIFY_AT_MOST(std::abs(plane.local(p.row(i).transpose()).z()), 0.0005);
        VERIFY_AT_MOST(closestPoint(a, p.row(i).transpose()).distanceMm, 0.0005);
      }
    }
    const Vec3 eye(1, 0.2, 0.1);
    const auto outline = zeroCurves(a, silhouetteField(a, eye), 1e-6, everywhere, {});
    if (!outline) qWarning("%s", sentence(outline.error()).c_str());
    QVERIFY(outline && !outline->curves.empty());
    for (const auto& c : outline->curves)
      for (int i = 0; i <= 20; ++i) {
        const auto at = closestPoint(a, c.path.at(c.path.last() * i / 20));
        VERIFY_AT_MOST(std::abs(a.normal(at.u, at.v).dot(eye.normalized())), 1e-3);
      }
    const auto line = std::make_shared<const Path>(*lumsk::nurbs::line({20, 40, 0}, {80, 45, 0}, {1e-3}));
    const auto around = zeroCurves(a, distanceField(a, line, 12), 0.0005, everywhere, {});
    QVERIFY(around && around->curves.size() == 1);
    QVERIFY(around->curves[0].path.closed());
    const Points p = polyline(around->curves[0].path, 4);
    for (Eigen::Index i = 0; i < p.rows(); ++i)
      VERIFY_AT_MOST(std::abs(closestPoint(*line, p.row(i).transpose()).distanceMm - 12), 0.001);
  }
};

static test::Register<SurfaceCurvesTest> registeredSurfaceCurvesTest;
#include "surface_curves_test.moc"
