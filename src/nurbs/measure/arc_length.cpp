#include "nurbs/measure/arc_length.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

double speedAt(const Path& p, double t) {
  CurveDerivatives d;
  p.derivatives(t, 1, d);
  return d[1].norm();
}

constexpr double kGauss = 0.7745966692414834;

double gauss3(const Path& p, double a, double b, double mid) {
  const double h = 0.5 * (b - a), m = 0.5 * (a + b);
  return h / 9.0 * (5.0 * (speedAt(p, m - kGauss * h) + speedAt(p, m + kGauss * h)) + 8.0 * mid);
}

constexpr double kLengthPart = 1e-7, kInversePart = 3e-8; ///< of a piece: what lengths, and their inverse, may miss

/// The parameter over the length, between two nodes a length g apart.
double hermite(double x, double t0, double m0, double t1, double m1) {
  const double x2 = x * x, x3 = x2 * x;
  return (2 * x3 - 3 * x2 + 1) * t0 + (x3 - 2 * x2 + x) * m0 + (3 * x2 - 2 * x3) * t1 + (x3 - x2) * m1;
}

/// How far from the middle parameter an interval's inverse comes where the length up to the middle is passed.
double missedMiddle(double h, double g, double va, double mid, double vb) {
  if (!(va > 0 && vb > 0 && g > 0)) return 0.0;
  const double half = h / 24 * (5 * va + 8 * mid - vb);
  return std::abs(hermite(half / g, 0, g / va, h, g / vb) - 0.5 * h);
}

} // namespace

ArcLength::ArcLength(const Path& path) {
  nodes_.push_back({0.0, 0.0, speedAt(path, 0.0), speedAt(path, 0.0)});
  double rough = 0.0;
  for (size_t i = 0; i < path.segments().size(); ++i)
    rough += (path.at(double(i) + 0.5) - path.at(double(i))).norm() * 2;
  const auto piece = [&](auto&& self, double a, double b, double va, double vb, int depth) -> void {
    const double mid = speedAt(path, 0.5 * (a + b));
    const double g = gauss3(path, a, b, mid);
    const double simpson = (b - a) / 6.0 * (va + 4 * mid + vb);
    if (depth < 12 && (std::abs(g - simpson) > kLengthPart * rough ||
                       missedMiddle(b - a, g, va, mid, vb) * mid > kInversePart * rough)) {
      self(self, a, 0.5 * (a + b), va, mid, depth + 1);
      self(self, 0.5 * (a + b), b, mid, vb, depth + 1);
      return;
    }
    nodes_.push_back({b, nodes_.back().s + g, vb, vb});
  };
  for (size_t i = 0; i < path.segments().size(); ++i) {
    const double base = double(i);
    std::vector<double> breaks{0.0, 1.0};
    int per = 1;
    if (const auto* c = std::get_if<Spline>(&path.segments()[i])) {
      breaks = breakpoints(c->knots(), c->degree());
      for (double& b : breaks) b = (b - c->first()) / (c->last() - c->first());
      per = std::clamp(int(64 / breaks.size()), 2, 8);
    } else if (std::holds_alternative<EllipseArc>(path.segments()[i])) {
      per = 16;
    }
    nodes_.back().speed = speedAt(path, base);
    double before = nodes_.back().speed;
    for (size_t k = 0; k + 1 < breaks.size(); ++k)
      for (int j = 0; j < per; ++j) {
        const double w = (breaks[k + 1] - breaks[k]) / per;
        const double a = base + breaks[k] + j * w, b = base + (j + 1 == per ? breaks[k + 1] : breaks[k] + (j + 1) * w);
        // The last parameter of a segment belongs to the next one: look just before it.
        const double vb = b >= base + 1 ? path.tangentBefore(base + 1).norm() : speedAt(path, b);
        piece(piece, a, b, before, vb, 0);
        before = vb;
      }
  }
}

ArcLength ArcLength::byParameter(const Path& path) {
  const double total = ArcLength(path).total(), speed = total / path.last();
  ArcLength out;
  out.nodes_ = {{0.0, 0.0, speed, speed}, {path.last(), total, speed, speed}};
  return out;
}

double ArcLength::parameterAt(double s) const {
  if (s <= 0) return nodes_.front().t;
  if (s >= total()) return nodes_.back().t;
  const auto it = std::upper_bound(nodes_.begin(), nodes_.end(), s, [](double v, const Node& n) { return v < n.s; });
  const Node &b = *it, &a = *(it - 1);
  const double h = b.s - a.s, x = (s - a.s) / h;
  const double ma = a.speed > 0 ? h / a.speed : b.t - a.t, mb = b.speedBefore > 0 ? h / b.speedBefore : b.t - a.t;
  return std::clamp(hermite(x, a.t, ma, b.t, mb), a.t, b.t);
}

double ArcLength::lengthAt(double t) const {
  if (t <= nodes_.front().t) return 0.0;
  if (t >= nodes_.back().t) return total();
  const auto it = std::upper_bound(nodes_.begin(), nodes_.end(), t, [](double v, const Node& n) { return v < n.t; });
  const Node &b = *it, &a = *(it - 1);
  const double h = b.t - a.t, x = (t - a.t) / h, x2 = x * x, x3 = x2 * x;
  return (2 * x3 - 3 * x2 + 1) * a.s + (x3 - 2 * x2 + x) * h * a.speed + (3 * x2 - 2 * x3) * b.s +
         (x3 - x2) * h * b.speedBefore;
}

double ArcLength::parameterAtFraction(double f) const {
  if (f < 0.0 || f > 1.0) f -= std::floor(f);
  return parameterAt(f * total());
}

double exactParameterAt(const Path& path, const ArcLength& table, double s) {
  const auto adaptive = [&](auto&& self, double a, double b, int depth) -> double {
    const double m = 0.5 * (a + b);
    const double whole = gauss3(path, a, b, speedAt(path, m));
    const double halves =
        gauss3(path, a, m, speedAt(path, 0.5 * (a + m))) + gauss3(path, m, b, speedAt(path, 0.5 * (m + b)));
    if (depth > 24 || std::abs(whole - halves) < 1e-12) return halves;
    return self(self, a, m, depth + 1) + self(self, m, b, depth + 1);
  };
  double t = table.parameterAt(s);
  for (int i = 0; i < 8; ++i) {
    double length = 0.0;
    for (double a = 0.0; a < t; a += 1.0) length += adaptive(adaptive, a, std::min(a + 1.0, t), 0);
    const double v = speedAt(path, t);
    if (!(v > 0) || std::abs(length - s) < 1e-10) break;
    t = std::clamp(t - (length - s) / v, 0.0, path.last());
  }
  return t;
}

} // namespace lumsk::nurbs
