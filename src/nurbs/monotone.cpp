#include "nurbs/monotone.h"

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
  const int intervals = int(x.size()) - 1;
  m.periodic_ = periodic;
  if (periodic) {
    m.degree_ = 4; // even: with odd ones every second periodic case is singular
    m.knots_ = periodicKnots(m.degree_, x);
    m.g_.assign(size_t(intervals), std::log((y.back() - y.front()) / (x.back() - x.front())));
  } else {
    m.degree_ = std::min(intervals - 1, 4);
    std::vector<double> middles;
    for (int i = 0; i < intervals; ++i) middles.push_back(0.5 * (x[i] + x[i + 1]));
    if (intervals > 1) {
      m.knots_ = averagedKnots(m.degree_, middles);
      for (int i = 0; i <= m.degree_; ++i) m.knots_[i] = x.front(), m.knots_[m.knots_.size() - 1 - i] = x.back();
    } else {
      m.knots_ = {x.front(), x.back()};
    }
    m.g_.assign(size_t(intervals), std::log((y.back() - y.front()) / (x.back() - x.front())));
  }
  m.at_ = x; // `newton` integrates over these
  if (!m.newton(y))
    return fail(problem("LM-G011", "the crossings are spaced too unevenly for a smooth parameter")
                    .tryThis("space the curves more evenly"));
  m.tabulate(x, y);
  return m;
}

/// Unknowns are the control values of g, equations the increments of y.
bool MonotoneMap::newton(const std::vector<double>& y) {
  const std::vector<double> x = at_;
  const int n = int(g_.size()), pieces = piecesOf(x.size() - 1);
  double N[kMaxDegree + 1];
  const auto residual = [&](Eigen::VectorXd& F, Eigen::MatrixXd* J) {
    F.setZero(n);
    if (J) J->setZero(n, n);
    for (int k = 0; k < n; ++k) {
      for (int piece = 0; piece < pieces; ++piece) {
        const double h = (x[k + 1] - x[k]) / pieces, a = x[k] + h * piece;
        for (int q = 0; q < kGauss; ++q) {
          const double u = a + 0.5 * h * (1 + kX[q]);
          double g = 0;
          const int f = basisFunctions(knots_, degree_, u, N);
          for (int i = 0; i <= degree_; ++i) g += N[i] * g_[size_t((f + i) % n)];
          const double w = 0.5 * h * kW[q] * std::exp(g);
          F[k] += w;
          if (J)
            for (int i = 0; i <= degree_; ++i) (*J)(k, (f + i) % n) += w * N[i];
        }
      }
      F[k] -= y[k + 1] - y[k];
    }
    // Relative, so that short intervals count as much as long ones.
    double worst = 0;
    for (int k = 0; k < n; ++k) worst = std::max(worst, std::abs(F[k]) / (y[k + 1] - y[k]));
    return worst;
  };
  Eigen::VectorXd F;
  Eigen::MatrixXd J;
  for (int it = 0; it < 60; ++it) {
    const double now = residual(F, &J);
    if (now < 1e-12) return true;
    const Eigen::VectorXd step = J.partialPivLu().solve(F);
    if (!step.allFinite()) return false;
    const std::vector<double> before = g_;
    double f = std::min(1.0, 2.0 / std::max(1e-300, step.cwiseAbs().maxCoeff()));
    bool better = false;
    for (; f > 1e-4 && !better; f *= 0.5) {
      for (int i = 0; i < n; ++i) g_[size_t(i)] = before[size_t(i)] - f * step[i];
      Eigen::VectorXd G;
      better = residual(G, nullptr) < now;
    }
    if (!better) return now < 1e-9;
  }
  return false;
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
