#include "nurbs/fit/traced.h"

#include "nurbs/fit/interpolate.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kShortestSpan = 1e-8; ///< of a curve: where two branches meet a trace turns sharply

constexpr double kShortestMm = 1e-4; ///< pieces below it need not be divided, whatever they look like
constexpr double kNowhereMm = 1e-6;  ///< places nearer to each other are one
constexpr size_t kMostNodes = 50000;

/// Parameter of a point function by arc length: one interpolating cubic on each stretch between stops.
class LengthTable {
public:
  explicit LengthTable(const PointFunction& f) : f_(f) {
    for (size_t k = 0; k + 1 < f.stops.size(); ++k) addStretch(f.stops[k], f.stops[k + 1]);
  }

  double total() const { return total_; }
  double startOf(size_t stretch) const { return stretches_[stretch].s0; }
  size_t stretches() const { return stretches_.size(); }

  double parameterAt(double s) const {
    size_t k = stretches_.size() - 1;
    while (k > 0 && s < stretches_[k].s0) --k;
    const Stretch& x = stretches_[k];
    const double f = std::clamp((s - x.s0) / (x.s1 - x.s0), 0.0, 1.0);
    return std::clamp(x.parameter.at(f).x(), x.w0, x.w1);
  }

private:
  struct Stretch {
    double s0 = 0, s1 = 0, w0 = 0, w1 = 0;
    Spline parameter; ///< x over [0, 1]
  };
  struct Node {
    double w, s;
  };

  void addStretch(double a, double b) {
    std::vector<Node> nodes{{a, 0.0}};
    constexpr int kFirst = 16;
    std::vector<double> first;
    for (int i = 1; i <= kFirst; ++i) first.push_back(i == kFirst ? b : a + (b - a) * i / kFirst);
    std::copy_if(f_.looks.begin(), f_.looks.end(), std::back_inserter(first), [&](double w) { return w > a && w < b; });
    std::sort(first.begin(), first.end());
    Vec3 before = f_.at(a);
    double at = a;
    for (double w1 : first) {
      if (w1 - at < 1e-12 * (b - a)) continue;
      const Vec3 p1 = f_.at(w1);
      halve(nodes, at, w1, before, p1, 0);
      before = p1;
      at = w1;
    }
    nodes.back().w = b;
    Stretch x{total_, total_ + nodes.back().s, a, b, {}};
    total_ = x.s1;
    std::vector<double> t;
    Rows w(Eigen::Index(nodes.size()), 3);
    w.setZero();
    const double length = std::max(nodes.back().s, 1e-300);
    for (const Node& n : nodes) {
      w(Eigen::Index(t.size()), 0) = n.w;
      t.push_back(n.s / length);
    }
    t.back() = 1.0;
    const Rows none(0, 3);
    if (auto rows = interpolateRows(t, w, 3, none, none)) x.parameter = Spline::trusted(3, rows->knots, rows->controls);
    stretches_.push_back(std::move(x));
  }

  void halve(std::vector<Node>& nodes, double a, double b, const Vec3& pa, const Vec3& pb, int depth) {
    const double m = 0.5 * (a + b);
    const Vec3 pm = f_.at(m);
    const double l = (pm - pa).norm(), r = (pb - pm).norm(), chord = (pb - pa).norm();
    // Halves that differ in length or turn tell of a parameter or a curve that is not followed closely yet.
    const bool even = std::abs(l - r) < 0.15 * (l + r), straight = l + r - chord < 1.2e-3 * (l + r);
    if (depth < 24 && l + r > kShortestMm && nodes.size() < kMostNodes && !(even && straight)) {
      halve(nodes, a, m, pa, pm, depth + 1);
      halve(nodes, m, b, pm, pb, depth + 1);
      return;
    }
    const double s = (4 * (l + r) - chord) / 3; // Richardson
    if (!(s > kNowhereMm)) return;
    const double start = nodes.back().s;
    if (std::min(l, r) > kNowhereMm) nodes.push_back({m, start + s * l / (l + r)});
    nodes.push_back({b, start + s});
  }

  const PointFunction& f_;
  std::vector<Stretch> stretches_;
  double total_ = 0.0;
};

} // namespace

Expected<TracedFit> fitTraced(const PointFunction& f, LengthTolerance fit, int degree) {
  const LengthTable table(f);
  if (!(table.total() > 1e-9)) return fail(problem("LM-G005", "the curve has no length").at(f.at(f.stops.front())));
  CurveFamily family;
  family.curves = 1;
  family.closed = f.closed;
  family.sample = [&](double t, double* out) {
    Eigen::Map<Vec3>(out, 3) = f.at(table.parameterAt(std::clamp(t, 0.0, 1.0) * table.total()));
  };
  LeanOptions o;
  o.degree = degree;
  o.fit = fit;
  o.firstSpans = 2;
  o.maxSpans = 2000;
  o.baseSamples = 96;
  for (size_t k = 1; k < table.stretches(); ++k)
    if (k <= f.kinked.size() && f.kinked[k - 1])
      o.firstBreaks.insert(o.firstBreaks.end(), degree - 1, table.startOf(k) / table.total());
  if (!o.firstBreaks.empty()) {
    o.firstBreaks.insert(o.firstBreaks.begin(), 0.0);
    o.firstBreaks.push_back(1.0);
  }
  o.shortestSpan = kShortestSpan;
  LUMSK_TRY(lean, fitLean(family, o));
  TracedFit out{lean.curve(0), 0.0};
  const auto breaks = breakpoints(out.curve.knots(), degree);
  for (size_t k = 0; k + 1 < breaks.size(); ++k)
    for (double g : {0.13, 0.37, 0.61, 0.86}) {
      const double t = breaks[k] + g * (breaks[k + 1] - breaks[k]);
      const Vec3 p = f.at(table.parameterAt(t * table.total()));
      // Across the curve: along it only the parameter is rough.
      const Vec3 d = out.curve.tangent(t).normalized(), off = out.curve.at(t) - p;
      out.deviationMm = std::max(out.deviationMm, (off - off.dot(d) * d).norm());
    }
  return out;
}

} // namespace lumsk::nurbs
