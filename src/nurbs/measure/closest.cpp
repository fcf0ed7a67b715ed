#include "nurbs/measure/closest.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

ClosestOnPath closestPoint(const Path& path, const Vec3& p) {
  ClosestOnPath best;
  best.distanceMm = 1e300;
  const auto offer = [&](double t) {
    const Vec3 q = path.at(t);
    const double d = (q - p).norm();
    if (d < best.distanceMm) best = {t, q, d};
  };
  for (size_t i = 0; i < path.segments().size(); ++i) {
    std::vector<double> grid;
    int per = 12;
    std::vector<double> breaks{0.0, 1.0};
    if (const auto* c = std::get_if<Spline>(&path.segments()[i])) {
      breaks = breakpoints(c->knots(), c->degree());
      for (double& b : breaks) b = (b - c->first()) / (c->last() - c->first());
      per = 4 * c->degree() + 4;
    }
    for (size_t k = 0; k + 1 < breaks.size(); ++k)
      for (int j = 0; j < per; ++j) grid.push_back(double(i) + breaks[k] + (breaks[k + 1] - breaks[k]) * j / per);
    grid.push_back(double(i) + 1.0);
    std::vector<double> dist(grid.size());
    for (size_t k = 0; k < grid.size(); ++k) dist[k] = (path.at(std::min(grid[k], path.last())) - p).squaredNorm();
    for (size_t k = 0; k < grid.size(); ++k) {
      if ((k > 0 && dist[k - 1] < dist[k]) || (k + 1 < grid.size() && dist[k + 1] < dist[k])) continue;
      double lo = grid[k > 0 ? k - 1 : k], hi = grid[std::min(k + 1, grid.size() - 1)];
      offer(lo), offer(std::min(hi, path.last()));
      double t = grid[k];
      for (int it = 0; it < 40 && hi - lo > 1e-14; ++it) {
        CurveDerivatives d;
        path.derivatives(std::min(t, double(i) + 1.0 - 1e-15), 2, d);
        const Vec3 r = d[0] - p;
        const double f = r.dot(d[1]), df = d[1].squaredNorm() + r.dot(d[2]);
        (f > 0 ? hi : lo) = t;
        double next = df > 0 ? t - f / df : 0.5 * (lo + hi);
        if (!(next > lo && next < hi)) next = 0.5 * (lo + hi);
        if (std::abs(next - t) < 1e-14) break;
        t = next;
      }
      offer(std::min(t, path.last()));
    }
  }
  return best;
}

FootSystem footSystem(const SurfaceDerivatives& d, const Vec3& p) {
  const Vec3 r = d(0, 0) - p;
  const double mixed = d(1, 0).dot(d(0, 1)) + r.dot(d(1, 1));
  FootSystem out{{r.dot(d(1, 0)), r.dot(d(0, 1))}, {}};
  out.bend << d(1, 0).squaredNorm() + r.dot(d(2, 0)), mixed, mixed, d(0, 1).squaredNorm() + r.dot(d(0, 2));
  return out;
}

FootSystem straightFootSystem(const SurfaceDerivatives& d, const Vec3& p) {
  constexpr double kSingular = 1e-12; // mm2: at poles
  const Vec3 r = d(0, 0) - p;
  const double mixed = d(1, 0).dot(d(0, 1));
  FootSystem out{{r.dot(d(1, 0)), r.dot(d(0, 1))}, {}};
  out.bend << d(1, 0).squaredNorm() + kSingular, mixed, mixed, d(0, 1).squaredNorm() + kSingular;
  return out;
}

FootSystem downhillFootSystem(const SurfaceDerivatives& d, const Vec3& p) {
  const FootSystem full = footSystem(d, p);
  return full.bend.determinant() > 0 && full.bend(0, 0) > 0 ? full : straightFootSystem(d, p);
}

ClosestOnSurface closestPoint(const Surface& s, const Vec3& p) {
  ClosestOnSurface best;
  best.distanceMm = 1e300;
  struct Seed {
    double d, u, v;
  };
  std::vector<Seed> seeds;
  const auto grid = [](const Knots& U, int deg) {
    std::vector<double> g;
    const auto b = breakpoints(U, deg);
    for (size_t k = 0; k + 1 < b.size(); ++k)
      for (int j = 0; j < 3; ++j) g.push_back(b[k] + (b[k + 1] - b[k]) * j / 3);
    g.push_back(b.back());
    return g;
  };
  const std::vector<double> us = grid(s.knotsU(), s.degreeU()), vs = grid(s.knotsV(), s.degreeV());
  const int nu = int(us.size()), nv = int(vs.size());
  Eigen::MatrixXd dist2(nu, nv);
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j < nv; ++j) dist2(i, j) = (s.at(us[i], vs[j]) - p).squaredNorm();
  // Every local minimum of the grid is a start: at a pole many grid points are one point and would crowd out others.
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j < nv; ++j) {
      const int i0 = std::max(0, i - 1), i1 = std::min(nu - 1, i + 1), j0 = std::max(0, j - 1),
                j1 = std::min(nv - 1, j + 1);
      if (dist2(i, j) <= dist2.block(i0, j0, i1 - i0 + 1, j1 - j0 + 1).minCoeff())
        seeds.push_back({dist2(i, j), us[i], vs[j]});
    }
  const size_t keep = std::min<size_t>(24, seeds.size());
  std::partial_sort(seeds.begin(), seeds.begin() + keep, seeds.end(),
                    [](const Seed& a, const Seed& b) { return a.d < b.d; });
  const double u0 = s.firstU(), u1 = s.lastU(), v0 = s.firstV(), v1 = s.lastV();
  for (size_t k = 0; k < keep; ++k) {
    double u = seeds[k].u, v = seeds[k].v, dist = seeds[k].d;
    for (int it = 0; it < 30; ++it) {
      SurfaceDerivatives d;
      s.derivatives(u, v, 2, d);
      const FootSystem at = downhillFootSystem(d, p);
      const Vec2 step = -at.bend.fullPivLu().solve(at.gradient);
      const auto wrap = [&](double x) {
        return s.closedU() ? (x < u0 ? x + (u1 - u0) : x > u1 ? x - (u1 - u0) : x) : std::clamp(x, u0, u1);
      };
      double tryU = u, tryV = v, nd = dist;
      for (double f = 1.0; f > 1e-3; f *= 0.5) {
        tryU = wrap(u + f * step.x()), tryV = std::clamp(v + f * step.y(), v0, v1);
        nd = (s.at(tryU, tryV) - p).squaredNorm();
        if (nd <= dist) break;
      }
      const double moved = std::abs(tryU - u) + std::abs(tryV - v);
      if (nd > dist) break;
      u = tryU, v = tryV, dist = nd;
      if (moved < 1e-13) break;
    }
    if (std::sqrt(dist) < best.distanceMm) best = {u, v, s.at(u, v), std::sqrt(dist)};
  }
  return best;
}

ClosestOnPath farthestAlong(const Path& path, const Vec3& direction) {
  constexpr int kPerSegment = 64;
  const auto height = [&](double t) { return path.at(t).dot(direction); };
  const int n = kPerSegment * int(path.segments().size());
  int best = 0;
  for (int i = 1; i <= n; ++i)
    if (height(path.last() * i / n) > height(path.last() * best / n)) best = i;
  double a = path.last() * std::max(0, best - 1) / n, b = path.last() * std::min(n, best + 1) / n;
  const double golden = 0.5 * (std::sqrt(5.0) - 1);
  for (int k = 0; k < 60; ++k) {
    const double p = b - golden * (b - a), q = a + golden * (b - a);
    (height(p) > height(q) ? b : a) = height(p) > height(q) ? q : p;
  }
  double t = 0.5 * (a + b);
  for (const double end : {path.last() * best / n, 0.0, path.last()})
    if (height(end) > height(t)) t = end;
  return {t, path.at(t), height(t)};
}

} // namespace lumsk::nurbs
