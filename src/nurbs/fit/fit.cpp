#include "nurbs/fit/fit.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/core/kernels.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

/// Samples of a family and the fits to them.
class Fitter {
public:
  Fitter(const CurveFamily& family, const LeanOptions& options) : family_(family), options_(options) {
    width_ = 3 * family.curves;
    const int n = options.baseSamples;
    for (int i = 0; i < n + (family.closed ? 0 : 1); ++i) addSample(double(i) / n);
    lookWhereItTurns();
    for (double t : options.held)
      if (t > 0 && t < 1) addSample(t, kHeld);
  }

  LeanFit fit(const std::vector<double>& breaks, double fairness = 0.0) {
    densify(breaks);
    LeanFit out;
    out.degree = options_.degree;
    out.closed = family_.closed;
    out.breaks = breaks;
    const auto& ends = options_.endDerivatives;
    const LeastSquares ls(options_.degree, breaks, family_.closed, t_, fairness,
                          {int(ends[0].rows()), int(ends[1].rows())}, weights_);
    out.knots = ls.knots();
    out.controls = ls.solve(Eigen::Map<const Rows>(xyz_.data(), Eigen::Index(t_.size()), width_), ends);
    measure(breaks, ls, out);
    return out;
  }

  const std::vector<double>& spanErrors() const { return spanErrors_; }

private:
  static constexpr double kHeld = 100.0; ///< weight
  static constexpr double kTurnPerSample = 0.12; ///< rad
  static constexpr int kMostParts = 8;

  void addSample(double t, double weight = 1.0) {
    t_.push_back(t);
    if (!options_.held.empty()) weights_.push_back(weight);
    xyz_.resize(xyz_.size() + width_);
    family_.sample(t, xyz_.data() + xyz_.size() - width_);
  }

  /// Further samples beside those between which a curve turns much: it may do anything there.
  void lookWhereItTurns() {
    const size_t n = t_.size();
    const auto place = [&](size_t i, int k) { return Eigen::Map<const Vec3>(xyz_.data() + (i % n) * width_ + 3 * k); };
    std::vector<int> parts(n, 1); // of the interval after a sample
    const size_t last = family_.closed ? n : n - 1;
    for (size_t i = family_.closed ? 0 : 1; i < last; ++i)
      for (int k = 0; k < family_.curves; ++k) {
        const Vec3 before = place(i, k) - place(i + n - 1, k), after = place(i + 1, k) - place(i, k);
        const double cross = before.cross(after).norm(), dot = before.dot(after);
        if (cross <= kTurnPerSample * dot || before.squaredNorm() + after.squaredNorm() == 0) continue;
        const int more = std::min(kMostParts, int(std::ceil(std::atan2(cross, dot) / kTurnPerSample)));
        for (size_t j : {(i + n - 1) % n, i}) parts[j] = std::max(parts[j], more);
      }
    for (size_t i = 0; i < (family_.closed ? n : n - 1); ++i) {
      const double from = t_[i], to = i + 1 < n ? t_[i + 1] : 1.0;
      for (int j = 1; j < parts[i]; ++j) addSample(from + (to - from) * j / parts[i]);
    }
  }

  /// Every span gets at least degree + 3 samples, between those it has.
  void densify(const std::vector<double>& breaks) {
    const int need = options_.degree + 3;
    std::vector<int> have(breaks.size() - 1, 0);
    for (double t : t_) ++have[spanOf(breaks, t)];
    for (size_t k = 0; k + 1 < breaks.size(); ++k)
      if (have[k] < need && breaks[k + 1] > breaks[k])
        for (int i = 0; i < need; ++i) addSample(breaks[k] + (breaks[k + 1] - breaks[k]) * (i + 0.5) / need);
  }

  static int spanOf(const std::vector<double>& breaks, double t) {
    return int(std::upper_bound(breaks.begin() + 1, breaks.end() - 1, t) - breaks.begin()) - 1;
  }

  void measure(const std::vector<double>& breaks, const LeastSquares& ls, LeanFit& out) {
    constexpr double kNone = 1e300; // a space that the samples do not determine
    spanErrors_.assign(breaks.size() - 1, out.controls.allFinite() ? 0.0 : kNone);
    double N[kMaxDegree + 1];
    Eigen::RowVectorXd value(width_);
    for (size_t s = 0; s < t_.size(); ++s) {
      auto [f, values] = ls.basisAt(s);
      if (family_.closed) f = basisFunctions(out.knots, options_.degree, t_[s], N), values = N;
      combineRows(out.controls.data() + f * width_, width_, values, options_.degree + 1, width_, value.data());
      addScaled(-1.0, xyz_.data() + s * width_, value.data(), width_);
      double worst = 0.0;
      for (int k = 0; k < family_.curves; ++k) worst = std::max(worst, value.segment<3>(3 * k).squaredNorm());
      double& e = spanErrors_[spanOf(breaks, t_[s])];
      e = std::max(e, std::sqrt(worst));
    }
    out.deviationMm = *std::max_element(spanErrors_.begin(), spanErrors_.end());
  }

  const CurveFamily& family_;
  const LeanOptions& options_;
  int width_ = 0;
  std::vector<double> t_, weights_, xyz_;
  std::vector<double> spanErrors_;
};

/// Every span whose error exceeds `aim` in as many parts as its order promises to need, at most `most`.
std::vector<double> divided(const std::vector<double>& breaks, const std::vector<double>& errors, double aim,
                            int degree, int most, double shortest) {
  std::vector<double> next{breaks.front()};
  for (size_t k = 0; k + 1 < breaks.size(); ++k) {
    const double grow = std::pow(errors[k] / aim, 1.0 / (degree + 1));
    const bool divisible = breaks[k + 1] - breaks[k] > shortest;
    const int parts = errors[k] > aim && divisible ? std::clamp(int(std::ceil(grow)), 2, most) : 1;
    for (int i = 1; i < parts; ++i) next.push_back(breaks[k] + (breaks[k + 1] - breaks[k]) * i / parts);
    next.push_back(breaks[k + 1]);
  }
  return next;
}

constexpr int kManyBreaks = 24;

/// Greedy removal, but of given breaks: the knot between the two best-fitted neighbours goes first; it ends when a few
/// in a row have to stay. Knots far enough apart to leave one another's spans alone are tried together.
class Thinning {
public:
  Thinning(Fitter& fitter, LeanFit fit, const LeanOptions& o, int fewest)
      : fitter_(fitter), o_(o), fewest_(fewest), best_(std::move(fit)), refused_(o.firstBreaks), errors_(fitter.spanErrors()) {}

  LeanFit run() {
    // Of many knots more have to be asked before they all are needed.
    const size_t count = best_.breaks.size();
    const int patience = int(count) > kManyBreaks ? std::max(o_.patience, int(count) / 2) : o_.patience;
    for (int inRow = 0; inRow < patience;) {
      const auto picked = candidates(size_t(patience - inRow));
      if (picked.empty()) break;
      const size_t before = best_.breaks.size();
      tryWithout(picked);
      inRow = best_.breaks.size() < before ? 0 : inRow + int(picked.size());
    }
    return std::move(best_);
  }

private:
  static constexpr double kAlike = 4; ///< scores: what is tried together is as likely to go

  /// Numbers of inner breaks, at most so many, best first.
  std::vector<size_t> candidates(size_t most) const {
    const auto& breaks = best_.breaks;
    const int spans = int(breaks.size()) - 1;
    std::vector<std::pair<double, size_t>> order;
    for (size_t k = 1; k + 1 < breaks.size(); ++k)
      if (std::find(refused_.begin(), refused_.end(), breaks[k]) == refused_.end())
        order.emplace_back(std::max(errors_[k - 1], errors_[k]) * (breaks[k + 1] - breaks[k - 1]), k);
    std::sort(order.begin(), order.end());
    std::vector<size_t> out;
    for (const auto& [score, k] : order) {
      if (out.size() >= most || int(out.size()) >= spans - fewest_ || score > kAlike * order.front().first) break;
      const bool alone = std::all_of(out.begin(), out.end(), [&, k = k](size_t j) {
        const int apart = std::abs(int(j) - int(k));
        return std::min(apart, best_.closed ? spans - apart : apart) > 2 * o_.degree + 2;
      });
      if (alone) out.push_back(k);
    }
    return out;
  }

  LeanFit without(const std::vector<size_t>& gone) {
    std::vector<double> trial;
    for (size_t k = 0; k < best_.breaks.size(); ++k)
      if (std::find(gone.begin(), gone.end(), k) == gone.end()) trial.push_back(best_.breaks[k]);
    return fitter_.fit(trial);
  }

  bool take(LeanFit f) {
    if (!(f.deviationMm <= o_.fit.mm)) return false;
    best_ = std::move(f);
    errors_ = fitter_.spanErrors();
    return true;
  }

  void tryWithout(const std::vector<size_t>& picked) {
    const std::vector<double> breaks = best_.breaks;
    if (take(without(picked))) return;
    // Those around which nothing went wrong can still go together.
    const auto errors = fitter_.spanErrors();
    std::vector<size_t> good;
    for (size_t k : picked) {
      const int before = int(std::count_if(picked.begin(), picked.end(), [k](size_t j) { return j < k; }));
      const int merged = int(k) - before - 1, spans = int(errors.size());
      double worst = 0;
      for (int i = merged - o_.degree; i <= merged + o_.degree; ++i)
        if (best_.closed || (i >= 0 && i < spans)) worst = std::max(worst, errors[size_t((i % spans + spans) % spans)]);
      if (worst <= o_.fit.mm)
        good.push_back(k);
      else
        refused_.push_back(breaks[k]);
    }
    if (good.size() == picked.size()) good = {picked.front()}; // the fault lies elsewhere: one at a time
    if (!good.empty() && !take(without(good))) refused_.push_back(breaks[good.front()]);
  }

  Fitter& fitter_;
  const LeanOptions& o_;
  int fewest_;
  LeanFit best_;
  std::vector<double> refused_, errors_;
};

/// The largest smoothing that stays within the tolerance, by bisection over its power of ten.
LeanFit faired(Fitter& fitter, LeanFit best, const LeanOptions& o) {
  double low = -22, high = 2; // from rounding to a straight line, for curves of any usual size over [0, 1]
  for (int it = 0; it < 14; ++it) {
    const double mid = 0.5 * (low + high);
    LeanFit f = fitter.fit(best.breaks, std::pow(10.0, mid));
    if (f.deviationMm <= o.fit.mm) {
      best = std::move(f);
      low = mid;
    } else {
      high = mid;
    }
  }
  return best;
}

} // namespace

Spline LeanFit::curve(int k) const { return Spline::trusted(degree, knots, controls.middleCols(3 * k, 3), closed); }

namespace {

std::vector<double> withoutRepeatedFirst(const std::vector<double>& breaks) {
  return {std::find_if(breaks.begin(), breaks.end(), [&](double b) { return b > breaks.front(); }) - 1, breaks.end()};
}

} // namespace

LeastSquares::LeastSquares(int degree, const std::vector<double>& breaks, bool closed, const std::vector<double>& t,
                           double fairness, std::array<int, 2> given, const std::vector<double>& weights)
    : p_(degree), n_(closed ? int(breaks.size()) - 1 : int(breaks.size()) + degree - 1), from_(1 + given[0]),
      to_(1 + given[1]), closed_(closed), knots_(clampedKnots(degree, closed ? withoutRepeatedFirst(breaks) : breaks)),
      A_(std::max(1, closed ? n_ : n_ - from_ - to_), degree, closed) {
  if (closed) periodic_ = periodicKnots(degree, breaks);
  basis_.resize(t.size());
  for (size_t s = 0; s < t.size(); ++s) {
    basis_[s].first = basisFunctions(closed ? periodic_ : knots_, p_, t[s], basis_[s].N);
    if (!weights.empty()) basis_[s].weight = weights[s];
    if (t[s] == 0.0) at0_ = int(s);
    if (t[s] == 1.0) at1_ = int(s);
  }
  if (fairness > 0.0) addFairness(breaks, fairness * double(t.size()));
  accumulate();
  if (closed || n_ > from_ + to_) A_.factor();
}

/// Gauss points of every span act as samples of the third derivative that should be nought.
void LeastSquares::addFairness(const std::vector<double>& breaks, double weight) {
  static const double kX[3] = {-0.7745966692414834, 0.0, 0.7745966692414834}, kW[3] = {5.0 / 9, 8.0 / 9, 5.0 / 9};
  const int order = std::min(3, p_);
  BasisDerivatives b;
  for (size_t k = 0; k + 1 < breaks.size(); ++k)
    for (int g = 0; g < 3 && breaks[k + 1] > breaks[k]; ++g) {
      const double h = 0.5 * (breaks[k + 1] - breaks[k]), scale = std::sqrt(weight * kW[g] * h);
      basisDerivatives(closed_ ? periodic_ : knots_, p_, breaks[k] + h * (1 + kX[g]), order, b);
      Row r{b.first, {}};
      for (int i = 0; i <= p_; ++i) r.N[i] = scale * b.value[order][i];
      basis_.push_back(r);
    }
}

void LeastSquares::accumulate() {
  const int last = closed_ ? n_ : n_ - from_ - to_, shift = closed_ ? 0 : from_;
  for (const Row& r : basis_) {
    if (r.first >= shift && r.first - shift + p_ < last && A_.addOuter(r.first - shift, r.N, p_ + 1, r.weight)) continue;
    for (int i = 0; i <= p_; ++i)
      for (int j = 0; j <= i; ++j) {
        const double w = r.weight * r.N[i] * r.N[j];
        if (closed_) {
          // A short periodic basis may meet itself: both contributions then fall on one entry.
          const int a = (r.first + i) % n_, b = (r.first + j) % n_;
          A_.add(a, b, a == b && i != j ? 2 * w : w);
        } else if (const int a = r.first + i - from_, b = r.first + j - from_; b >= 0 && a < n_ - from_ - to_) {
          A_.add(a, b, w);
        }
      }
  }
}

Rows LeastSquares::solve(const Rows& data, const std::array<Rows, 2>& endDerivatives) const {
  return closed_ ? solvePeriodic(data) : solveOpen(data, endDerivatives);
}

Rows LeastSquares::solveOpen(const Rows& data, const std::array<Rows, 2>& endDerivatives) const {
  Rows out(n_, data.cols());
  const int free = n_ - from_ - to_;
  out.row(0) = data.row(at0_);
  out.row(n_ - 1) = data.row(at1_);
  // The derivative of order k at an end takes k + 1 control points from there.
  BasisDerivatives b;
  for (int e : {0, 1}) {
    const Rows& given = endDerivatives[size_t(e)];
    if (given.rows() == 0) continue;
    basisDerivatives(knots_, p_, e ? knots_.back() : knots_.front(), int(given.rows()), b);
    for (int k = 1; k <= int(given.rows()) && k < n_ - 1; ++k) {
      const auto value = [&](int j) { return b.value[size_t(k)][size_t(e ? p_ - j : j)]; };
      out.row(e ? n_ - 1 - k : k) = given.row(k - 1);
      for (int j = 0; j < k; ++j) out.row(e ? n_ - 1 - k : k) -= value(j) * out.row(e ? n_ - 1 - j : j);
      out.row(e ? n_ - 1 - k : k) /= value(k);
    }
  }
  if (free <= 0) return out;
  Rows rhs = Rows::Zero(free, data.cols());
  Eigen::RowVectorXd row(data.cols());
  for (size_t s = 0; s < basis_.size(); ++s) {
    const Row& r = basis_[s];
    if (Eigen::Index(s) < data.rows())
      row = data.row(Eigen::Index(s));
    else
      row.setZero();
    for (int i = 0; i <= p_; ++i)
      if (const int a = r.first + i; a < from_ || a >= n_ - to_) row -= r.N[i] * out.row(a);
    for (int i = 0; i <= p_; ++i)
      if (const int a = r.first + i - from_; a >= 0 && a < free)
        addScaled(r.weight * r.N[i], row.data(), rhs.data() + a * rhs.cols(), rhs.cols());
  }
  A_.solve(rhs);
  out.middleRows(from_, free) = rhs;
  return out;
}

Rows LeastSquares::solvePeriodic(const Rows& data) const {
  Rows rhs = Rows::Zero(n_, data.cols());
  for (size_t s = 0; s < size_t(data.rows()); ++s)
    for (int i = 0; i <= p_; ++i)
      addScaled(basis_[s].weight * basis_[s].N[i], data.data() + Eigen::Index(s) * data.cols(),
                rhs.data() + (basis_[s].first + i) % n_ * rhs.cols(), rhs.cols());
  A_.solve(rhs);
  const Eigen::Index wrapped = Eigen::Index(periodic_.size()) - p_ - 1;
  Points around(wrapped, 3);
  Rows out;
  for (Eigen::Index c = 0; c < rhs.cols(); c += 3) {
    const Eigen::Index width = std::min<Eigen::Index>(3, rhs.cols() - c);
    around.setZero();
    for (Eigen::Index i = 0; i < wrapped; ++i) around.row(i).head(width) = rhs.row(i % n_).segment(c, width);
    const Spline column = clamp(p_, periodic_, around, true);
    if (c == 0) out.resize(column.size(), rhs.cols());
    out.middleCols(c, width) = column.points().leftCols(width);
  }
  out.row(out.rows() - 1) = out.row(0);
  return out;
}

namespace {

Problem unfollowed(double deviationMm, LengthTolerance fit) {
  return problem("LM-G101", "the curves cannot be followed closely enough")
      .measure(millimetres(deviationMm))
      .want(millimetres(fit.mm))
      .tryThis("remove corners and noise, or allow a larger fit tolerance");
}

} // namespace

Expected<LeanFit> fitLean(const CurveFamily& family, const LeanOptions& o) {
  Fitter fitter(family, o);
  const int fewest = family.closed ? std::max(3, o.degree + 1) : 1;
  std::vector<double> breaks = o.firstBreaks.empty() ? equalBreaks(std::max(o.firstSpans, fewest)) : o.firstBreaks;
  while (int(breaks.size()) - 1 < fewest)
    breaks = divided(breaks, std::vector<double>(breaks.size() - 1, 1.0), 0.5, o.degree, 2, 0.0);
  // Aim below the limit: between the samples the error is a little larger than at them.
  const double aim = 0.7 * o.fit.mm;
  LeanFit fit;
  for (;;) {
    fit = fitter.fit(breaks);
    if (fit.deviationMm <= aim) break;
    const int spans = int(breaks.size()) - 1;
    if (spans >= o.maxSpans || !std::isfinite(fit.deviationMm))
      return fail(unfollowed(fit.deviationMm, o.fit));
    const auto& errors = fitter.spanErrors();
    const auto bad = std::count_if(errors.begin(), errors.end(), [&](double e) { return e > aim; });
    const bool given = !o.firstBreaks.empty();
    if (!given && bad * 2 >= spans) {
      const double grow = std::clamp(std::pow(fit.deviationMm / aim, 1.0 / (o.degree + 1)), 1.1, 2.0);
      breaks = equalBreaks(std::max(spans + 1, int(std::ceil(spans * grow))));
    } else {
      breaks = divided(breaks, errors, aim, o.degree, given ? 4 : 2, o.shortestSpan);
    }
    if (int(breaks.size()) - 1 == spans) return fail(unfollowed(fit.deviationMm, o.fit));
  }
  if (o.removeKnots || (o.thinBeyond > 0 && int(breaks.size()) - 1 > o.thinBeyond)) {
    fit = Thinning(fitter, std::move(fit), o, fewest).run();
  }
  if (o.fair) fit = faired(fitter, std::move(fit), o);
  return fit;
}

Rows clampingMap(int degree, const Knots& periodic) {
  const int wrapped = int(periodic.size()) - degree - 1, n = wrapped - degree;
  Points unit(wrapped, 3);
  Rows map;
  for (int k = 0; k < n; k += 3) {
    unit.setZero();
    for (int c = 0; c < 3 && k + c < n; ++c)
      for (int j = k + c; j < wrapped; j += n) unit(j, c) = 1.0;
    const Spline column = clamp(degree, periodic, unit, true);
    if (k == 0) map.resize(column.size(), n);
    for (int c = 0; c < 3 && k + c < n; ++c) map.col(k + c) = column.points().col(c);
  }
  return map;
}

std::vector<double> equalBreaks(int spans) {
  std::vector<double> b(spans + 1);
  for (int i = 0; i <= spans; ++i) b[i] = double(i) / spans;
  return b;
}

double partsFor(double error, double aim, int order, double most) {
  return std::clamp(std::pow(error / aim, 1.0 / order), 1.0, most);
}

std::vector<double> spreadBreaks(const std::vector<double>& breaks, const std::vector<double>& parts) {
  std::vector<double> sum{0};
  for (double p : parts) sum.push_back(sum.back() + p);
  const int spans = int(std::ceil(sum.back()));
  std::vector<double> out{breaks.front()};
  for (int i = 1; i < spans; ++i) {
    const double at = sum.back() * i / spans;
    const size_t k = size_t(std::upper_bound(sum.begin(), sum.end(), at) - sum.begin()) - 1;
    out.push_back(breaks[k] + (breaks[k + 1] - breaks[k]) * (at - sum[k]) / (sum[k + 1] - sum[k]));
  }
  out.push_back(breaks.back());
  return out;
}

std::optional<Rows> derivativeAtEnd(const std::function<void(double, double*)>& f, int columns, int end, double h) {
  constexpr double kAgree = 1e-4;
  constexpr double kWeights[] = {-25.0 / 12, 4, -3, 4.0 / 3, -1.0 / 4}; // of the fourth order, to one side
  const auto by = [&](double step) {
    Rows sum = Rows::Zero(1, columns), at(1, columns);
    for (int i = 0; i < 5; ++i) {
      f(end == 0 ? i * step : 1 - i * step, at.data());
      sum += (end == 0 ? 1 : -1) * kWeights[i] / step * at;
    }
    return sum;
  };
  for (const double step : {h, 0.1 * h, 0.01 * h}) {
    const Rows wide = by(step);
    Rows narrow = by(0.5 * step);
    if ((wide - narrow).norm() <= kAgree * narrow.norm()) return narrow;
  }
  return {};
}

Expected<Spline> fitPath(const Path& path, const LeanOptions& options) {
  const ArcLength length(path);
  CurveFamily family;
  family.curves = 1;
  family.closed = path.closed() && path.corners({1.0}).empty();
  family.sample = [&](double t, double* out) {
    Eigen::Map<Vec3>(out, 3) = path.at(length.parameterAt(std::clamp(t, 0.0, 1.0) * length.total()));
  };
  LUMSK_TRY(fit, fitLean(family, options));
  return fit.curve(0);
}

} // namespace lumsk::nurbs
