#include "nurbs/core/roots.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kSmallestPiece = 1e-13; ///< of a span: a root cannot be told from its neighbours below it

int signChanges(const std::vector<double>& c) {
  int changes = 0, last = 0;
  for (double v : c) {
    const int s = v > 0 ? 1 : v < 0 ? -1 : 0;
    if (s == 0) continue;
    changes += last != 0 && s != last;
    last = s;
  }
  return changes;
}

double bezierAt(std::vector<double> c, double t) {
  for (size_t k = c.size() - 1; k > 0; --k)
    for (size_t i = 0; i < k; ++i) c[i] += t * (c[i + 1] - c[i]);
  return c[0];
}

/// Roots of a Bernstein polynomial over [0, 1], written as a + f (b - a). `nought` is the size of rounding.
void bezierRoots(const std::vector<double>& c, double a, double b, double nought, double smallest,
                 std::vector<double>& out) {
  const auto [lo, hi] = std::minmax_element(c.begin(), c.end());
  if (*lo > nought || *hi < -nought) return;
  if (std::max(std::abs(*lo), std::abs(*hi)) <= nought) {
    out.push_back(a);
    out.push_back(b);
    return;
  }
  if (b - a < smallest) {
    out.push_back(0.5 * (a + b));
    return;
  }
  if (signChanges(c) == 1 && std::abs(c.front()) > nought && std::abs(c.back()) > nought) {
    double x = 0, y = 1;
    const bool rising = c.back() > 0;
    for (int it = 0; it < 60 && y - x > 1e-15; ++it) {
      const double m = 0.5 * (x + y);
      ((bezierAt(c, m) > 0) == rising ? y : x) = m;
    }
    out.push_back(a + 0.5 * (x + y) * (b - a));
    return;
  }
  // de Casteljau at a place that is no likely root
  std::vector<double> left, right, w = c;
  const double t = 0.4871;
  for (size_t k = c.size(); k > 0; --k) {
    left.push_back(w[0]);
    right.push_back(w[k - 1]);
    for (size_t i = 0; i + 1 < k; ++i) w[i] += t * (w[i + 1] - w[i]);
  }
  std::reverse(right.begin(), right.end());
  const double m = a + t * (b - a);
  bezierRoots(left, a, m, nought, smallest, out);
  bezierRoots(right, m, b, nought, smallest, out);
}

} // namespace

std::vector<double> zeros(int degree, const Knots& knots, const std::vector<double>& coefficients) {
  Points p = Points::Zero(Eigen::Index(coefficients.size()), 3);
  double largest = 0.0;
  for (size_t i = 0; i < coefficients.size(); ++i) {
    p(Eigen::Index(i), 0) = coefficients[i];
    largest = std::max(largest, std::abs(coefficients[i]));
  }
  Spline c = Spline::trusted(degree, knots, std::move(p));
  const std::vector<double> breaks = breakpoints(knots, degree);
  for (size_t i = 1; i + 1 < breaks.size(); ++i)
    c = insertKnot(c, breaks[i], degree - multiplicity(c.knots(), breaks[i]));
  std::vector<double> out;
  // Of equal knots at full multiplicity + 1 no span is left between; every span has degree + 1 control values.
  for (size_t k = 0; k + 1 < breaks.size(); ++k) {
    std::vector<double> piece(degree + 1);
    for (int i = 0; i <= degree; ++i) piece[i] = c.points()(Eigen::Index(k) * degree + i, 0);
    bezierRoots(piece, breaks[k], breaks[k + 1], 1e-13 * largest, kSmallestPiece * (breaks[k + 1] - breaks[k]) * 1e3,
                out);
  }
  std::sort(out.begin(), out.end());
  const double same = 1e-9 * (breaks.back() - breaks.front());
  out.erase(std::unique(out.begin(), out.end(), [&](double a, double b) { return b - a < same; }), out.end());
  return out;
}

std::vector<double> levelPlaces(const Segment& s, const Vec3& direction) {
  std::vector<double> out;
  if (const auto* arc = std::get_if<EllipseArc>(&s)) {
    // d/dt (cos t u + sin t v) . e = 0
    const double t0 = std::atan2(arc->v.dot(direction), arc->u.dot(direction));
    const double w = arc->toRad - arc->fromRad;
    const double low = std::min(arc->fromRad, arc->toRad), high = std::max(arc->fromRad, arc->toRad);
    for (double t = t0 + kPi * std::ceil((low - t0) / kPi); t <= high; t += kPi) out.push_back((t - arc->fromRad) / w);
    if (w < 0) std::reverse(out.begin(), out.end());
  } else if (const auto* c = std::get_if<Spline>(&s)) {
    const int p = c->degree(), n = c->size();
    const Eigen::VectorXd h = c->points() * direction;
    if (p == 1) return out;
    std::vector<double> d(n - 1);
    for (int i = 0; i + 1 < n; ++i) d[i] = p * (h[i + 1] - h[i]) / (c->knots()[i + p + 1] - c->knots()[i + 1]);
    for (double u : zeros(p - 1, Knots(c->knots().begin() + 1, c->knots().end() - 1), d))
      out.push_back((u - c->first()) / (c->last() - c->first()));
  }
  return out;
}

double bracketedRoot(const std::function<std::pair<double, double>(double)>& f, double a, double b) {
  auto [fa, da] = f(a);
  auto [fb, db] = f(b);
  if (fa == 0.0) return a;
  if (fb == 0.0) return b;
  double x = a - fa * (b - a) / (fb - fa);
  for (int it = 0; it < 80; ++it) {
    if (!(x > std::min(a, b) && x < std::max(a, b))) x = 0.5 * (a + b);
    const auto [fx, dx] = f(x);
    if (fx == 0.0) return x;
    const double before = std::abs(b - a);
    if ((fx > 0) == (fa > 0))
      a = x, fa = fx;
    else
      b = x, fb = fx;
    if (std::abs(b - a) < 1e-15 * std::max(1.0, std::abs(a))) return x;
    const double newton = dx != 0.0 ? x - fx / dx : a;
    const bool inside = newton > std::min(a, b) && newton < std::max(a, b);
    if (inside && std::abs(newton - x) < 1e-15 * std::max(1.0, std::abs(x))) return newton;
    // Where Newton's steps leave the bracket or shrink it too slowly, halve it.
    x = inside && std::abs(newton - x) < 0.5 * before ? newton : 0.5 * (a + b);
  }
  return x;
}

std::vector<double> planeCrossings(const Path& p, const Frame& plane, double touchMm) {
  const Vec3 n = plane.normal();
  const auto height = [&](double t) { return (p.at(t) - plane.origin).dot(n); };
  std::vector<double> out;
  const auto offer = [&](double t) {
    if (out.empty() || t - out.back() > 1e-9) out.push_back(t);
  };
  for (size_t i = 0; i < p.segments().size(); ++i) {
    // Between level places the height is monotone.
    std::vector<double> stops{0.0};
    for (double f : levelPlaces(p.segments()[i], n))
      if (f > stops.back() + 1e-12 && f < 1.0 - 1e-12) stops.push_back(f);
    stops.push_back(1.0);
    for (size_t k = 0; k + 1 < stops.size(); ++k) {
      const double a = double(i) + stops[k],
                   b = double(i) + stops[k + 1] - (k + 2 == stops.size() ? 1e-15 * p.last() : 0);
      const double ha = height(a), hb = height(b);
      if (std::abs(ha) <= touchMm) offer(a);
      if (std::abs(ha) > touchMm && std::abs(hb) > touchMm && (ha > 0) != (hb > 0))
        offer(bracketedRoot(
            [&](double t) {
              CurveDerivatives d;
              p.derivatives(t, 1, d);
              return std::make_pair((d[0] - plane.origin).dot(n), d[1].dot(n));
            },
            a, b));
      if (std::abs(hb) <= touchMm) offer(k + 2 == stops.size() ? double(i) + 1.0 : b);
    }
  }
  if (p.closed() && out.size() > 1 && out.front() < 1e-9 && out.back() > p.last() - 1e-9) out.pop_back();
  return out;
}

} // namespace lumsk::nurbs
