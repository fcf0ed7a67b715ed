#include "nurbs/core/banded.h"

#include "nurbs/core/kernels.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

/// Row `to` of x minus a times row `from`.
void subtractRow(Rows& x, double a, int from, int to) {
  addScaled(-a, x.data() + from * x.cols(), x.data() + to * x.cols(), size_t(x.cols()));
}

} // namespace

BandedSpd::BandedSpd(int n, int halfBandwidth, bool cyclic)
    : n_(n), b_(std::min(halfBandwidth, n - 1)), core_(cyclic ? std::max(0, n - b_) : n) {
  band_.assign(size_t(std::max(core_, 1)) * (b_ + 1), 0.0);
  const int border = n_ - core_;
  border_ = Rows::Zero(core_, border);
  corner_ = Rows::Zero(border, border);
}

void BandedSpd::add(int i, int j, double value) {
  if (i < j) std::swap(i, j);
  if (i < core_) {
    band(i, j) += value;
  } else if (j < core_) {
    border_(j, i - core_) += value;
  } else {
    corner_(i - core_, j - core_) += value;
    if (i != j) corner_(j - core_, i - core_) += value;
  }
}

bool BandedSpd::addOuter(int first, const double* N, int count, double weight) {
  if (count > b_ + 1 || first + count > core_) return false;
  for (int i = 0; i < count; ++i) {
    double* row = &band(first + i, first + i);
    for (int j = 0; j <= i; ++j) row[i - j] += weight * N[i] * N[j];
  }
  return true;
}

bool BandedSpd::factor() {
  for (int i = 0; i < core_; ++i) {
    const int lo = std::max(0, i - b_);
    for (int j = lo; j <= i; ++j) {
      double s = band(i, j);
      for (int k = std::max(lo, j - b_); k < j; ++k) s -= band(i, k) * band(j, k);
      if (i == j) {
        if (!(s > 0.0)) return false;
        band(i, i) = std::sqrt(s);
      } else {
        band(i, j) = s / band(j, j);
      }
    }
  }
  if (corner_.rows() == 0) return true;
  solvedBorder_ = border_;
  solveBand(solvedBorder_);
  corner_ -= border_.transpose() * solvedBorder_;
  Eigen::LLT<Eigen::MatrixXd> check(corner_);
  if (check.info() != Eigen::Success) return false;
  corner_ = check.solve(Eigen::MatrixXd::Identity(corner_.rows(), corner_.cols()));
  return true;
}

void BandedSpd::solveBand(Rows& x) const {
  for (int i = 0; i < core_; ++i) {
    for (int k = std::max(0, i - b_); k < i; ++k) subtractRow(x, band(i, k), k, i);
    x.row(i) /= band(i, i);
  }
  for (int i = core_ - 1; i >= 0; --i) {
    x.row(i) /= band(i, i);
    for (int k = std::max(0, i - b_); k < i; ++k) subtractRow(x, band(i, k), i, k);
  }
}

void BandedSpd::solve(Rows& rhs) const {
  const int border = n_ - core_;
  if (border == 0) return solveBand(rhs);
  Rows top = rhs.topRows(core_);
  solveBand(top);
  const Rows low = corner_ * (rhs.bottomRows(border) - border_.transpose() * top);
  rhs.topRows(core_) = top - solvedBorder_ * low;
  rhs.bottomRows(border) = low;
}

BandedLu::BandedLu(int n, int lower, int upper)
    : n_(n), l_(lower), u_(upper), a_(size_t(n) * (lower + upper + 1), 0.0) {}

bool BandedLu::factor() {
  for (int k = 0; k < n_; ++k) {
    const double pivot = at(k, k);
    if (!(std::abs(pivot) > 1e-14)) return false;
    for (int i = k + 1; i <= std::min(n_ - 1, k + l_); ++i) {
      const double f = at(i, k) /= pivot;
      if (f == 0.0) continue;
      for (int j = k + 1; j <= std::min(n_ - 1, k + u_); ++j) at(i, j) -= f * at(k, j);
    }
  }
  return true;
}

void BandedLu::solve(Rows& x) const {
  for (int i = 0; i < n_; ++i)
    for (int k = std::max(0, i - l_); k < i; ++k) subtractRow(x, at(i, k), k, i);
  for (int i = n_ - 1; i >= 0; --i) {
    for (int k = i + 1; k <= std::min(n_ - 1, i + u_); ++k) subtractRow(x, at(i, k), k, i);
    x.row(i) /= at(i, i);
  }
}

} // namespace lumsk::nurbs
