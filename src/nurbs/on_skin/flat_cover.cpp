#include "nurbs/on_skin/flat_cover.h"

#include "nurbs/core/banded.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kDegree = 4;
constexpr int kMostSpans = 56;
constexpr double kRingWeight = 1e7; ///< of the ring's square distance against the energy
constexpr double kOutside = 0.02;   ///< weight of the energy outside the ring

class Film {
public:
  Film(const Points& ring, const Frame& frame) : ring_(ring.rows(), 3) {
    for (Eigen::Index i = 0; i < ring.rows(); ++i) ring_.row(i) = frame.local(ring.row(i).transpose()).transpose();
    low_ = ring_.leftCols<2>().colwise().minCoeff().transpose();
    high_ = ring_.leftCols<2>().colwise().maxCoeff().transpose();
    const Vec2 margin = 0.04 * (high_ - low_) + Vec2::Constant(1e-3);
    low_ -= margin;
    high_ += margin;
  }

  /// Heights as control values over equal spans; the worst distance of the ring.
  double solve(int spans) {
    U_ = uniformOver(low_.x(), high_.x(), spans);
    V_ = uniformOver(low_.y(), high_.y(), spans);
    n_ = spans + kDegree;
    BandedSpd A(n_ * n_, kDegree * n_ + kDegree, false);
    Rows rhs = Rows::Zero(n_ * n_, 1);
    addEnergy(A, spans);
    double N[kMaxDegree + 1], M[kMaxDegree + 1];
    for (Eigen::Index k = 0; k < ring_.rows(); ++k) {
      const int fu = basisFunctions(U_, kDegree, ring_(k, 0), N), fv = basisFunctions(V_, kDegree, ring_(k, 1), M);
      addRow(A, fu, fv, N, M, kRingWeight / double(ring_.rows()));
      for (int i = 0; i <= kDegree; ++i)
        for (int j = 0; j <= kDegree; ++j)
          rhs((fu + i) * n_ + fv + j, 0) += kRingWeight / double(ring_.rows()) * N[i] * M[j] * ring_(k, 2);
    }
    if (!A.factor()) return 1e300;
    A.solve(rhs);
    z_ = rhs;
    double worst = 0;
    for (Eigen::Index k = 0; k < ring_.rows(); ++k) {
      const int fu = basisFunctions(U_, kDegree, ring_(k, 0), N), fv = basisFunctions(V_, kDegree, ring_(k, 1), M);
      double z = 0;
      for (int i = 0; i <= kDegree; ++i)
        for (int j = 0; j <= kDegree; ++j) z += N[i] * M[j] * z_((fu + i) * n_ + fv + j, 0);
      worst = std::max(worst, std::abs(z - ring_(k, 2)));
    }
    return worst;
  }

  Surface surface(const Frame& frame) const {
    const auto x = greville(U_, kDegree), y = greville(V_, kDegree);
    Points grid(n_ * n_, 3);
    for (int i = 0; i < n_; ++i)
      for (int j = 0; j < n_; ++j)
        grid.row(i * n_ + j) = frame.at(x[size_t(i)], y[size_t(j)], z_(i * n_ + j, 0)).transpose();
    return Surface::trusted(kDegree, kDegree, U_, V_, std::move(grid), false);
  }

private:
  static Knots uniformOver(double a, double b, int spans) {
    Knots U = uniformKnots(kDegree, spans);
    for (double& u : U) u = a + u * (b - a);
    return U;
  }

  void addRow(BandedSpd& A, int fu, int fv, const double* N, const double* M, double w) const {
    constexpr int m = kDegree + 1;
    for (int a = 0; a < m * m; ++a)
      for (int b = 0; b <= a; ++b)
        A.add((fu + a / m) * n_ + fv + a % m, (fu + b / m) * n_ + fv + b % m,
              w * N[a / m] * M[a % m] * N[b / m] * M[b % m]);
  }

  /// Slopes at 2 x 2 Gauss points of every cell, and a little bending, which leaves no freedom outside.
  void addEnergy(BandedSpd& A, int spans) const {
    const Vec2 cell = (high_ - low_) / spans;
    BasisDerivatives b, c;
    for (int i = 0; i < spans; ++i)
      for (int j = 0; j < spans; ++j)
        for (double x : {0.2113248654, 0.7886751346})
          for (double y : {0.2113248654, 0.7886751346}) {
            const Vec2 p = low_ + Vec2((i + x) * cell.x(), (j + y) * cell.y());
            const double w = 0.25 / (spans * spans) * (inside(p) ? 1.0 : kOutside),
                         size2 = (high_ - low_).squaredNorm();
            basisDerivatives(U_, kDegree, p.x(), 2, b);
            basisDerivatives(V_, kDegree, p.y(), 2, c);
            const auto term = [&](int du, int dv, double weight) {
              addRow(A, b.first, c.first, b.value[size_t(du)].data(), c.value[size_t(dv)].data(), weight);
            };
            term(1, 0, w * size2);
            term(0, 1, w * size2);
            for (const auto& [du, dv, f] : {std::tuple{2, 0, 1.0}, std::tuple{1, 1, 2.0}, std::tuple{0, 2, 1.0}})
              term(du, dv, 1e-5 * f * w * size2 * size2);
          }
  }

  bool inside(const Vec2& p) const {
    bool in = false;
    for (Eigen::Index i = 0, j = ring_.rows() - 1; i < ring_.rows(); j = i++)
      if ((ring_(i, 1) > p.y()) != (ring_(j, 1) > p.y()) &&
          p.x() < (ring_(j, 0) - ring_(i, 0)) * (p.y() - ring_(i, 1)) / (ring_(j, 1) - ring_(i, 1)) + ring_(i, 0))
        in = !in;
    return in;
  }

  Points ring_; ///< in the frame's coordinates
  Vec2 low_, high_;
  Knots U_, V_;
  int n_ = 0;
  Rows z_;
};

} // namespace

Expected<FlatCover> flatCover(const Points& ring, const Frame& frame, const Context& cx) {
  Film film(ring, frame);
  FlatCover out;
  for (int spans = 8; spans <= kMostSpans; spans = spans * 3 / 2) {
    if (cx.stopped()) return fail(cancelled());
    cx.report(double(spans) / kMostSpans, "stretching the cover");
    out.deviationMm = film.solve(spans);
    if (out.deviationMm <= cx.tolerances.fit.mm) break;
  }
  if (out.deviationMm > cx.tolerances.point.mm)
    return fail(problem("LM-V003", "the cover cannot follow its ring closely enough")
                    .measure(millimetres(out.deviationMm))
                    .want(millimetres(cx.tolerances.point.mm))
                    .at(ring.row(0).transpose())
                    .tryThis("smooth the ring, or close it by a network of curves"));
  out.surface = film.surface(frame);
  return out;
}

} // namespace lumsk::nurbs
