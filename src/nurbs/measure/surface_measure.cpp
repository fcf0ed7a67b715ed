#include "nurbs/measure/surface_measure.h"

#include "nurbs/core/gauss.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

std::vector<double> places(const Knots& U, int p, int perSpan) {
  std::vector<double> out;
  const auto b = breakpoints(U, p);
  for (size_t k = 0; k + 1 < b.size(); ++k)
    for (int i = 0; i < perSpan; ++i) out.push_back(b[k] + (b[k + 1] - b[k]) * i / perSpan);
  out.push_back(b.back());
  return out;
}

/// Steps of (hu, hv) along the axes while they lead up, then ever smaller ones.
LargestOnSurface climb(const Surface& s, LargestOnSurface from, double hu, double hv,
                       const std::function<double(double, double)>& f) {
  for (int it = 0; it < 60; ++it) {
    bool better = false;
    for (int d = 0; d < 4; ++d) {
      const double u = std::clamp(from.u + (d == 0 ? hu : d == 1 ? -hu : 0), s.firstU(), s.lastU());
      const double v = std::clamp(from.v + (d == 2 ? hv : d == 3 ? -hv : 0), s.firstV(), s.lastV());
      if (const double k = f(u, v); k > from.value) from = {k, u, v}, better = true;
    }
    if (!better) hu *= 0.5, hv *= 0.5;
  }
  return from;
}

struct Node {
  double x, weight;
};

/// The rule's nodes in every span between neighbouring places.
std::vector<Node> gaussNodes(const std::vector<double>& places, const GaussRule& rule) {
  std::vector<Node> out;
  for (size_t k = 0; k + 1 < places.size(); ++k)
    for (size_t i = 0; i < rule.at.size(); ++i) {
      const double width = places[k + 1] - places[k];
      out.push_back({places[k] + width * rule.at[i], width * rule.weight[i]});
    }
  return out;
}

int enoughNodes(int degree, int asked) { return asked > 0 ? asked : (3 * degree + 1) / 2; }

void add(SurfaceIntegrals& out, const FirstDerivatives& d, double weight) {
  const Vec3 n = d.du.cross(d.dv);
  const double area = weight * n.norm(), moment = weight * d.at.dot(n);
  out.areaMm2 += area;
  out.momentMm3 += moment / 3.0;
  out.areaFirst += area * d.at;
  out.momentFirst += moment / 4.0 * d.at;
}

} // namespace

SurfaceIntegrals integralsOf(const Surface& s, int nodes) {
  const auto us = gaussNodes(breakpoints(s.knotsU(), s.degreeU()), gaussLegendre(enoughNodes(s.degreeU(), nodes))),
             vs = gaussNodes(breakpoints(s.knotsV(), s.degreeV()), gaussLegendre(enoughNodes(s.degreeV(), nodes)));
  std::vector<BasisDerivatives> basis(vs.size());
  for (size_t j = 0; j < vs.size(); ++j) basisDerivatives(s.knotsV(), s.degreeV(), vs[j].x, 1, basis[j]);
  SurfaceIntegrals out;
  for (const Node& u : us) {
    const SurfaceLine line(s, u.x);
    for (size_t j = 0; j < vs.size(); ++j) add(out, line.derivatives(basis[j]), u.weight * vs[j].weight);
  }
  return out;
}

SurfaceIntegrals integralsInside(const Surface& s, const std::vector<BorderNode>& border, int nodes) {
  const GaussRule rule = gaussLegendre(enoughNodes(s.degreeV(), nodes));
  const auto breaks = breakpoints(s.knotsV(), s.degreeV());
  const auto whole = gaussNodes(breaks, rule);
  std::vector<BasisDerivatives> basis(whole.size());
  for (size_t j = 0; j < whole.size(); ++j) basisDerivatives(s.knotsV(), s.degreeV(), whole[j].x, 1, basis[j]);
  SurfaceIntegrals out;
  for (const BorderNode& b : border) {
    const size_t spans = size_t(std::upper_bound(breaks.begin(), breaks.end(), b.v) - breaks.begin());
    if (b.weight == 0 || spans == 0) continue; // runs across, or along the first border
    const SurfaceLine line(s, b.u);
    const size_t full = (spans - 1) * rule.at.size();
    for (size_t j = 0; j < full; ++j) add(out, line.derivatives(basis[j]), -b.weight * whole[j].weight);
    for (const Node& n : gaussNodes({breaks[spans - 1], b.v}, rule)) {
      BasisDerivatives at;
      basisDerivatives(s.knotsV(), s.degreeV(), n.x, 1, at);
      add(out, line.derivatives(at), -b.weight * n.weight);
    }
  }
  return out;
}

LargestOnSurface largestOn(const Surface& s, int perSpanU, int perSpanV,
                           const std::function<double(double, double)>& f) {
  const auto us = places(s.knotsU(), s.degreeU(), perSpanU), vs = places(s.knotsV(), s.degreeV(), perSpanV);
  LargestOnSurface best{-1e300, s.firstU(), s.firstV()};
  for (double u : us)
    for (double v : vs)
      if (const double k = f(u, v); k > best.value) best = {k, u, v};
  return climb(s, best, (s.lastU() - s.firstU()) / double(us.size()), (s.lastV() - s.firstV()) / double(vs.size()), f);
}

Extent sampledBox(const Surface& s) {
  std::vector<Vec3> points, normals;
  evaluateGrid(s, places(s.knotsU(), s.degreeU(), 3), places(s.knotsV(), s.degreeV(), 3), points, normals);
  Extent out;
  for (const Vec3& p : points) out.low = out.low.cwiseMin(p), out.high = out.high.cwiseMax(p);
  return out;
}

Extent enclosingBox(const Surface& s) {
  return {s.grid().colwise().minCoeff().transpose(), s.grid().colwise().maxCoeff().transpose()};
}

Extent extentOf(const Surface& s) {
  const auto us = places(s.knotsU(), s.degreeU(), 3), vs = places(s.knotsV(), s.degreeV(), 3);
  std::vector<Vec3> points, normals;
  evaluateGrid(s, us, vs, points, normals);
  const double hu = (s.lastU() - s.firstU()) / double(us.size()), hv = (s.lastV() - s.firstV()) / double(vs.size());
  Extent out;
  for (int k = 0; k < 3; ++k)
    for (const double sign : {1.0, -1.0}) {
      const auto better = [&](const Vec3& a, const Vec3& b) { return sign * a[k] < sign * b[k]; };
      const size_t best = size_t(std::max_element(points.begin(), points.end(), better) - points.begin());
      const LargestOnSurface start{sign * points[best][k], us[best / vs.size()], vs[best % vs.size()]};
      const double top = sign * climb(s, start, hu, hv, [&](double u, double v) { return sign * s.at(u, v)[k]; }).value;
      (sign > 0 ? out.high : out.low)[k] = top;
    }
  return out;
}

namespace {

/// Whether the normal turns round somewhere between two places: a bend that turns it by as much does so ever less over
/// ever smaller parts.
bool turnsRound(const Surface& s, Vec2 a, Vec2 b) {
  constexpr int kHalvings = 14;
  Vec3 na = s.normal(a.x(), a.y()), nb = s.normal(b.x(), b.y());
  for (int it = 0; it < kHalvings; ++it) {
    const Vec2 m = 0.5 * (a + b);
    const Vec3 n = s.normal(m.x(), m.y());
    if (na.dot(n) < n.dot(nb))
      b = m, nb = n;
    else
      a = m, na = n;
    if (na.dot(nb) > 0) return false;
  }
  return true;
}

} // namespace

std::optional<Vec3> firstFold(const Surface& s) {
  constexpr int kLooks = 24, kLeastPerSpan = 2; // a fold may be as narrow as a span
  const auto looks = [&](const Knots& knots, int degree) {
    const auto breaks = breakpoints(knots, degree);
    const int spans = int(breaks.size()) - 1, per = std::max(kLeastPerSpan, (kLooks + spans - 1) / spans);
    std::vector<double> at;
    for (int k = 0; k < spans; ++k)
      for (int i = 0; i < per; ++i)
        at.push_back(breaks[size_t(k)] + (breaks[size_t(k) + 1] - breaks[size_t(k)]) * (i + 0.5) / per);
    return at;
  };
  const auto us = looks(s.knotsU(), s.degreeU()), vs = looks(s.knotsV(), s.degreeV());
  std::vector<Vec3> points, normals;
  evaluateGrid(s, us, vs, points, normals);
  const auto normal = [&](size_t i, size_t j) { return normals[i * vs.size() + j]; };
  for (size_t i = 0; i < us.size(); ++i)
    for (size_t j = 0; j < vs.size(); ++j) {
      const Vec3 n = normal(i, j);
      if (i > 0 && n.dot(normal(i - 1, j)) < 0 && turnsRound(s, {us[i - 1], vs[j]}, {us[i], vs[j]})) return points[i * vs.size() + j];
      if (j > 0 && n.dot(normal(i, j - 1)) < 0 && turnsRound(s, {us[i], vs[j - 1]}, {us[i], vs[j]})) return points[i * vs.size() + j];
    }
  return {};
}

} // namespace lumsk::nurbs
