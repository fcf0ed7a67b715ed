#include "nurbs/patch/square_pairs.h"

#include "nurbs/core/knots.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPairDegree = 5, kPairSpans = 8;
constexpr int kPairPlaces = 96;
constexpr double kPairBending = 3e-3, kPairStretching = 1e-2; ///< against the squared sine of how far ways are from square
constexpr double kLeastSpeed = 0.35, kPairsStiffer = 4;
constexpr int kPairSteps = 8, kPairTries = 6;

} // namespace

SquarePairs::SquarePairs(const PlaceAlong& first, const PlaceAlong& second, bool closed, bool held) : closed_(closed) {
  std::vector<double> breaks;
  for (int i = 0; i <= kPairSpans; ++i) breaks.push_back(double(i) / kPairSpans);
  knots_ = closed ? periodicKnots(kPairDegree, breaks) : clampedKnots(kPairDegree, breaks);
  const int n = closed ? kPairSpans : kPairSpans + kPairDegree;
  shift_ = Eigen::VectorXd::Zero(n);
  double stiff = 1;
  for (int tries = 0; tries < kPairTries; ++tries, stiff *= kPairsStiffer) {
    shift_.setZero();
    for (int step = 0; step < kPairSteps; ++step) {
      Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(n, n);
      Eigen::VectorXd rhs = Eigen::VectorXd::Zero(n);
      for (int i = 0; i < kPairPlaces; ++i) {
        const double s = (i + 0.5) / kPairPlaces;
        const std::array<Vec3, 2> a = first(s), b = second(s + shift(s, 0));
        const Vec3 way = b[0] - a[0];
        if (way.norm() < 1e-9) continue;
        const Vec3 along = a[1].normalized() + b[1].normalized();
        const double skew = way.dot(along) / (2 * way.norm()), rate = b[1].dot(along) / (2 * way.norm());
        BasisDerivatives basis;
        basisDerivatives(knots_, kPairDegree, s, 2, basis);
        const auto ask = [&](int order, double by, double wanted, double weight) {
          for (int j = 0; j <= kPairDegree; ++j) {
            const int row = (basis.first + j) % n;
            const double x = by * basis.value[size_t(order)][size_t(j)];
            rhs[row] += weight * x * wanted;
            for (int k = 0; k <= kPairDegree; ++k)
              normal(row, (basis.first + k) % n) += weight * x * by * basis.value[size_t(order)][size_t(k)];
          }
        };
        ask(0, rate, rate * shift(s, 0) - skew, 1);
        ask(1, 1, 0, stiff * kPairStretching);
        ask(2, 1, 0, stiff * kPairBending);
      }
      if (!closed || held) { // the ends stay partners
        const double sure = 1e6 * normal.diagonal().maxCoeff();
        BasisDerivatives basis;
        basisDerivatives(knots_, kPairDegree, 0, 0, basis);
        for (int j = 0; j <= kPairDegree; ++j)
          for (int k = 0; k <= kPairDegree; ++k)
            normal((basis.first + j) % n, (basis.first + k) % n) += sure * basis.value[0][size_t(j)] * basis.value[0][size_t(k)];
        if (!closed) normal(n - 1, n - 1) += sure;
      }
      normal.diagonal().array() += 1e-12 * (1 + normal.diagonal().maxCoeff());
      const Eigen::VectorXd next = normal.ldlt().solve(rhs);
      if (!next.allFinite()) {
        shift_.setZero();
        return;
      }
      const double moved = (next - shift_).cwiseAbs().maxCoeff();
      shift_ = next;
      if (moved < 1e-9) break;
    }
    if (!closed) shift_[0] = shift_[n - 1] = 0;
    double least = 1;
    for (int i = 0; i <= 4 * kPairPlaces; ++i) least = std::min(least, 1 + shift(double(i) / (4 * kPairPlaces), 1));
    if (least >= kLeastSpeed) return;
  }
  shift_.setZero();
}

double SquarePairs::shift(double s, int order) const {
  BasisDerivatives basis;
  basisDerivatives(knots_, kPairDegree, closed_ ? s - std::floor(s) : std::clamp(s, 0.0, 1.0), order, basis);
  double out = 0;
  for (int j = 0; j <= kPairDegree; ++j)
    out += basis.value[size_t(order)][size_t(j)] * shift_[(basis.first + j) % shift_.size()];
  return out;
}

} // namespace lumsk::nurbs
