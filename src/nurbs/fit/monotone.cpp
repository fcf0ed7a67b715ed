#include "nurbs/fit/monotone.h"

#include "base/vec.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kGauss = 5;
constexpr double kX[kGauss] = {-0.9061798459386640, -0.5384693101056831, 0, 0.5384693101056831, 0.9061798459386640};
constexpr double kW[kGauss] = {0.2369268850561891, 0.4786286704993665, 0.5688888888888889, 0.4786286704993665,
                               0.2369268850561891};
/// Through so many a spline of least degree sways.
constexpr size_t kManyIntervals = 4;
/// Parts of every interval for the integration; of the table four times as many.
int piecesOf(size_t intervals) { return std::max(2, int(12 / intervals)); }

} // namespace

double MonotoneMap::density(double x) const {
  double N[kMaxDegree + 1], g = 0;
  const int f = basisFunctions(knots_, degree_, x, N);
  const int n = int(g_.size());
  for (int i = 0; i <= degree_; ++i) g += N[i] * g_[size_t((f + i) % n)];
  return std::exp(g);
}

Expected<MonotoneMap> MonotoneMap::through(const std::vector<double>& x, const std::vector<double>& y, bool periodic) {
  MonotoneMap m;
  m.periodic_ = periodic;
  const size_t intervals = x.size() - 1;
  const bool even = periodic || intervals >= kManyIntervals; // more values than increments, the evenest choice of them
  std::vector<double> places;
  for (size_t i = 0; i < intervals; ++i) {
    if (even) places.push_back(x[i]);
    places.push_back(0.5 * (x[i] + x[i + 1]));
  }
  if (even) {
    places.push_back(x.back());
    m.degree_ = 5; // smoother than the quintic splines that follow it
    m.knots_ = periodic ? periodicKnots(m.degree_, places) : clampedKnots(m.degree_, places);
  } else {
    m.degree_ = std::min(int(intervals) - 1, 4);
    m.knots_ = intervals > 1 ? averagedKnots(m.degree_, places) : Knots{x.front(), x.back()};
    for (size_t i = 0; i <= size_t(m.degree_); ++i)
      m.knots_[i] = x.front(), m.knots_[m.knots_.size() - 1 - i] = x.back();
  }
  m.g_.assign(!even ? intervals : periodic ? 2 * intervals : 2 * intervals + size_t(m.degree_), std::log((y.back() - y.front()) / (x.back() - x.front())));
  m.at_ = x; // `newton` integrates over these
  if (!m.newton(y))
    return fail(problem("LM-G011", "the crossings are spaced too unevenly for a smooth parameter")
                    .tryThis("space the curves more evenly"));
  m.tabulate(x, y);
  return m;
}

/// How uneven g is: a quadratic form in its control values, over a domain taken as 1 long.
Eigen::MatrixXd MonotoneMap::unevenness() const {
  constexpr double kSlope = 0.1; // of the slope beside the bending: few places leave g level
  const int n = int(g_.size());
  const double whole = at_.back() - at_.front();
  Eigen::MatrixXd K = Eigen::MatrixXd::Zero(n, n);
  for (size_t k = 0; k + 1 < knots_.size(); ++k) {
    const double a = std::max(knots_[k], at_.front()), b = std::min(knots_[k + 1], at_.back());
    if (!(b > a)) continue;
    for (int q = 0; q < kGauss; ++q) {
      BasisDerivatives d;
      basisDerivatives(knots_, degree_, 0.5 * (a + b) + 0.5 * (b - a) * kX[q], 2, d);
      const double w = 0.5 * (b - a) * kW[q] / whole;
      for (int i = 0; i <= degree_; ++i)
        for (int j = 0; j <= degree_; ++j)
          K((d.first + i) % n, (d.first + j) % n) +=
              w * (d.value[2][size_t(i)] * d.value[2][size_t(j)] * std::pow(whole, 4) +
                   kSlope * d.value[1][size_t(i)] * d.value[1][size_t(j)] * whole * whole);
    }
  }
  return K;
}

/// Sequential quadratic steps: the most even g whose density makes the increments of y (Nocedal & Wright 2006, ch. 18);
/// as many values as increments leave no choice, and the steps are Newton's.
bool MonotoneMap::newton(const std::vector<double>& y) {
  constexpr double kClosed = 1e-12, kNearly = 1e-9, kSettled = 1e-3;
  constexpr int kSteps = 60;
  const std::vector<double> x = at_;
  const int n = int(g_.size()), intervals = int(x.size()) - 1, pieces = piecesOf(x.size() - 1);
  double N[kMaxDegree + 1];
  // Relative, so that short intervals count as much as long ones.
  const auto residual = [&](Eigen::VectorXd& F, Eigen::MatrixXd* J) {
    F.setZero(intervals);
    if (J) J->setZero(intervals, n);
    double worst = 0;
    for (int k = 0; k < intervals; ++k) {
      const double by = 1 / (y[size_t(k) + 1] - y[size_t(k)]);
      for (int piece = 0; piece < pieces; ++piece) {
        const double h = (x[size_t(k) + 1] - x[size_t(k)]) / pieces, a = x[size_t(k)] + h * piece;
        for (int q = 0; q < kGauss; ++q) {
          double g = 0;
          const int f = basisFunctions(knots_, degree_, a + 0.5 * h * (1 + kX[q]), N);
          for (int i = 0; i <= degree_; ++i) g += N[i] * g_[size_t((f + i) % n)];
          const double w = by * 0.5 * h * kW[q] * std::exp(g);
          F[k] += w;
          if (J)
            for (int i = 0; i <= degree_; ++i) (*J)(k, (f + i) % n) += w * N[i];
        }
      }
      F[k] -= 1;
      worst = std::max(worst, std::abs(F[k]));
    }
    return worst;
  };
  const Eigen::MatrixXd K = unevenness();
  Eigen::MatrixXd system = Eigen::MatrixXd::Zero(n + intervals, n + intervals);
  Eigen::VectorXd F, right(n + intervals);
  Eigen::MatrixXd J;
  for (int it = 0; it < kSteps; ++it) {
    const double now = residual(F, &J);
    system.topLeftCorner(n, n) = K;
    system.topRightCorner(n, intervals) = J.transpose();
    system.bottomLeftCorner(intervals, n) = J;
    right.head(n) = -(K * Eigen::Map<const Eigen::VectorXd>(g_.data(), n));
    right.tail(intervals) = -F;
    const Eigen::VectorXd step = system.partialPivLu().solve(right).head(n);
    if (!step.allFinite()) return false;
    const double size = step.cwiseAbs().maxCoeff();
    if (now < kClosed && size < kSettled) return true;
    const std::vector<double> before = g_;
    bool better = false;
    for (double f = std::min(1.0, 2.0 / std::max(1e-300, size)); f > 1e-4 && !better; f *= 0.5) {
      for (int i = 0; i < n; ++i) g_[size_t(i)] = before[size_t(i)] + f * step[i];
      Eigen::VectorXd G;
      better = residual(G, nullptr) < std::max(0.999 * now, kNearly);
    }
    if (!better) {
      g_ = before;
      return now < kNearly;
    }
  }
  return residual(F, nullptr) < kNearly;
}

void MonotoneMap::tabulate(const std::vector<double>& x, const std::vector<double>& y) {
  at_.clear();
  const size_t per = 4 * size_t(piecesOf(x.size() - 1));
  for (size_t k = 0; k + 1 < x.size(); ++k)
    for (size_t i = 0; i < per; ++i) at_.push_back(x[k] + (x[k + 1] - x[k]) * double(i) / double(per));
  at_.push_back(x.back());
  double s = y.front();
  for (size_t i = 0; i < at_.size(); ++i) {
    if (i > 0) {
      const double h = at_[i] - at_[i - 1];
      // Lobatto's rule: the ends are wanted for the table anyway.
      const double near = 0.5 * (1 - 1 / std::sqrt(5.0));
      rate_.push_back(density(at_[i]));
      s += h / 12 * (rate_[i - 1] + rate_[i] + 5 * (density(at_[i - 1] + near * h) + density(at_[i] - near * h)));
      if (i % per == 0) s = y[i / per];
    } else {
      rate_.push_back(density(at_[0]));
    }
    value_.push_back(s);
  }
}

std::array<double, 3> MonotoneMap::derivatives(double x) const {
  if (periodic_) x -= std::floor((x - at_.front()) / (at_.back() - at_.front())) * (at_.back() - at_.front());
  BasisDerivatives b;
  basisDerivatives(knots_, degree_, x, 2, b);
  double g[3] = {0, 0, 0};
  for (size_t q = 0; q < 3; ++q)
    for (int i = 0; i <= degree_; ++i)
      g[q] += b.value[q][size_t(i)] * g_[size_t(b.first + i) % g_.size()];
  const double rate = std::exp(g[0]);
  return {rate, rate * g[1], rate * (g[2] + g[1] * g[1])};
}

double MonotoneMap::operator()(double x) const {
  double turns = 0;
  if (periodic_) {
    turns = std::floor((x - at_.front()) / (at_.back() - at_.front()));
    x -= turns * (at_.back() - at_.front());
    turns *= value_.back() - value_.front();
  }
  const size_t i =
      std::clamp<size_t>(size_t(std::upper_bound(at_.begin(), at_.end(), x) - at_.begin()), 1, at_.size() - 1);
  const double h = at_[i] - at_[i - 1], f = std::clamp((x - at_[i - 1]) / h, 0.0, 1.0);
  const double a = value_[i - 1], b = value_[i], da = rate_[i - 1] * h, db = rate_[i] * h;
  return turns + a + f * (da + f * (3 * (b - a) - 2 * da - db + f * (2 * (a - b) + da + db)));
}

} // namespace lumsk::nurbs
