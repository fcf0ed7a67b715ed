#include "nurbs/fit/surface_squares.h"

#include "nurbs/core/gauss.h"
#include "nurbs/core/kernels.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kMostRows = 8; ///< at a place
constexpr double kHolds = 1e10; ///< the weight of unknowns that stay, over the largest

/// Integrals of products of derivatives of one order: exact, by Gauss-Legendre with p + 1 places a span.
Rows gram(const Knots& U, int degree, int order) {
  const int n = int(U.size()) - degree - 1;
  Rows out = Rows::Zero(n, degree + 1);
  const GaussRule rule = gaussLegendre(degree + 1);
  const std::vector<double> breaks = breakpoints(U, degree);
  for (size_t s = 0; s + 1 < breaks.size(); ++s) {
    const double h = breaks[s + 1] - breaks[s];
    for (size_t g = 0; g < rule.at.size(); ++g) {
      BasisDerivatives b;
      basisDerivatives(U, degree, breaks[s] + h * rule.at[g], order, b);
      for (int i = 0; i <= degree; ++i)
        for (int j = i; j <= degree; ++j)
          out(b.first + i, j - i) +=
              h * rule.weight[g] * b.value[size_t(order)][size_t(i)] * b.value[size_t(order)][size_t(j)];
    }
  }
  return out;
}

/// The first and the number of functions that count up to an order.
std::pair<int, int> counting(const BasisDerivatives& b, int degree, int order) {
  const auto nought = [&](int i) {
    for (int k = 0; k <= order; ++k)
      if (b.value[size_t(k)][size_t(i)] != 0) return false;
    return true;
  };
  int first = 0, last = degree;
  while (first < last && nought(first)) ++first;
  while (last > first && nought(last)) --last;
  return {first, last - first + 1};
}

} // namespace

PlaceRows::PlaceRows(const Knots& U, const Knots& V, int degree, double u, double v, int order, bool exchanged)
    : exchanged_(exchanged) {
  basisDerivatives(U, degree, u, order, u_);
  basisDerivatives(V, degree, v, order, v_);
  std::tie(i0_, ni_) = counting(u_, degree, order);
  std::tie(j0_, nj_) = counting(v_, degree, order);
  rows_.resize(ni_ * nj_ * 3, kMostRows);
  wanted_.resize(kMostRows);
}

void PlaceRows::ask(const Term* first, const Term* last, double wanted, double weight) {
  auto row = rows_.col(count_);
  row.setZero();
  for (const Term* term = first; term != last; ++term)
    for (int i = 0, at = 0; i < ni_; ++i) {
      const double a = weight * u_.value[size_t(exchanged_ ? term->b : term->a)][size_t(i0_ + i)];
      for (int j = 0; j < nj_; ++j, at += 3)
        row.segment<3>(at) += a * v_.value[size_t(exchanged_ ? term->a : term->b)][size_t(j0_ + j)] * term->by;
    }
  wanted_[count_++] = weight * wanted;
}

void PlaceRows::askPoint(const Vec3& wanted, double weight) {
  for (int k = 0; k < 3; ++k) ask({{0, 0, Vec3::Unit(k)}}, wanted[k], weight);
}

SurfaceSquares::SurfaceSquares(int degree, Knots U, Knots V)
    : exchanged_(V.size() > U.size()), degree_(degree), U_(std::move(exchanged_ ? V : U)),
      V_(std::move(exchanged_ ? U : V)), nu_(int(U_.size()) - degree - 1),
      nv_(int(V_.size()) - degree - 1), matrix_(nu_, 3 * nv_, degree), rhs_(Rows::Zero(3 * nu_ * nv_, 1)) {
  for (int k = 0; k < 4; ++k) gramU_[size_t(k)] = gram(U_, degree_, k), gramV_[size_t(k)] = gram(V_, degree_, k);
}

void SurfaceSquares::begin(double weight, double lengthU, double lengthV, const Surface* about, double bending) {
  matrix_.clear();
  rhs_.setZero();
  held_.clear();
  about_.resize(0, 1);
  if (exchanged_) std::swap(lengthU, lengthV);
  addEvenness(3, weight, lengthU, lengthV);
  if (bending > 0) addEvenness(2, weight * bending, lengthU, lengthV);
  if (!about || (exchanged_ ? about->knotsV() : about->knotsU()) != U_ ||
      (exchanged_ ? about->knotsU() : about->knotsV()) != V_)
    return;
  const Surface turned = exchanged_ ? exchanged(*about) : *about;
  about_ = Eigen::Map<const Rows>(turned.grid().data(), rhs_.rows(), 1);
  matrix_.subtractTimes(about_, rhs_);
}

void SurfaceSquares::addEvenness(int order, double weight, double lengthU, double lengthV) {
  constexpr std::array<std::array<double, 4>, 2> kTimes{{{1, 2, 1, 0}, {1, 3, 3, 1}}};
  const double size = 0.5 * (lengthU + lengthV);
  const size_t all = size_t(order) + 1;
  std::array<double, 4> by{}; // of the product of the a-th derivative in u and the (order - a)-th in v
  for (int a = 0; a <= order; ++a)
    by[size_t(a)] = weight * std::pow(size, 2 * order - 2) * kTimes[size_t(order - 2)][size_t(a)] * std::pow(lengthU, 1 - 2 * a) *
                    std::pow(lengthV, 1 - 2 * (order - a));
  for (int i = 0; i < nu_; ++i)
    for (int di = 0; di <= degree_ && i + di < nu_; ++di) {
      BlockBandedSpd::Block& to = matrix_.block(i + di, i);
      std::array<double, 4> byU{};
      for (size_t a = 0; a < all; ++a) byU[a] = by[a] * gramU_[a](i, di);
      for (int j = 0; j < nv_; ++j)
        for (int dj = di == 0 ? 0 : -std::min(j, degree_); dj <= degree_ && j + dj < nv_; ++dj) {
          double sum = 0;
          const int low = std::min(j, j + dj);
          for (size_t a = 0; a < all; ++a) sum += byU[a] * gramV_[size_t(order) - a](low, std::abs(dj));
          for (int k = 0; k < 3; ++k) to(3 * (j + dj) + k, 3 * j + k) += sum;
        }
    }
}

void SurfaceSquares::add(const PlaceRows& r) {
  const int width = 3 * r.nj_, offset = 3 * (r.j0_ + r.v_.first), first = r.i0_ + r.u_.first;
  const Eigen::MatrixXd& rows = r.rows_;
  const size_t stride = size_t(rows.rows());
  Eigen::VectorXd wanted = r.wanted_.head(r.count_);
  if (about_.size() > 0)
    for (int a = 0; a < r.ni_; ++a)
      wanted.noalias() -= rows.block(a * width, 0, width, r.count_)
                              .transpose()
                              .lazyProduct(about_.middleRows((first + a) * 3 * nv_ + offset, width));
  for (int a = 0; a < r.ni_; ++a) {
    for (int b = 0; b <= a; ++b) {
      BlockBandedSpd::Block& to = matrix_.block(first + a, first + b);
      addProduct(1, &rows(a * width, 0), stride, &rows(b * width, 0), stride, &to(offset, offset), size_t(to.rows()),
                 width, width, r.count_);
    }
    rhs_.middleRows((first + a) * 3 * nv_ + offset, width).noalias() +=
        rows.block(a * width, 0, width, r.count_).lazyProduct(wanted);
  }
}

void SurfaceSquares::hold(const std::array<int, 4>& orders) {
  double most = 0;
  for (int i = 0; i < nu_; ++i) most = std::max(most, matrix_.block(i, i).diagonal().maxCoeff());
  for (int i = 0; i < nu_; ++i)
    for (int j = 0; j < nv_; ++j) {
      const int u = exchanged_ ? j : i, v = exchanged_ ? i : j;
      const int fromU = (exchanged_ ? nv_ : nu_) - 1 - u, fromV = (exchanged_ ? nu_ : nv_) - 1 - v;
      if (v > orders[0] && fromU > orders[1] && fromV > orders[2] && u > orders[3]) continue;
      for (int k = 0; k < 3; ++k) {
        matrix_.block(i, i)(3 * j + k, 3 * j + k) += kHolds * most;
        held_.push_back(3 * (Eigen::Index(i) * nv_ + j) + k);
      }
    }
}

std::optional<Surface> SurfaceSquares::solve() {
  if (!matrix_.factor()) return std::nullopt;
  matrix_.solve(rhs_);
  for (const Eigen::Index k : held_) rhs_(k) = 0;
  if (about_.size() > 0) rhs_ += about_;
  Points grid(Eigen::Index(nu_) * nv_, 3);
  for (Eigen::Index k = 0; k < grid.rows(); ++k) grid.row(k) = rhs_.col(0).segment<3>(3 * k).transpose();
  if (!grid.allFinite()) return std::nullopt;
  Surface made = Surface::trusted(degree_, degree_, U_, V_, std::move(grid), false);
  return exchanged_ ? exchanged(made) : made;
}

} // namespace lumsk::nurbs
