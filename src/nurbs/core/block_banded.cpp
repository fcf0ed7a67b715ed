#include "nurbs/core/block_banded.h"

#include "nurbs/core/kernels.h"

#include <Eigen/Cholesky>
#include <algorithm>

namespace lumsk::nurbs {

BlockBandedSpd::BlockBandedSpd(int blocks, int size, int half)
    : blocks_(blocks), size_(size), half_(std::min(half, blocks - 1)),
      all_(size_t(blocks) * size_t(half_ + 1), Block::Zero(size, size)) {}

void BlockBandedSpd::clear() {
  for (Block& b : all_) b.setZero();
}

namespace {

using Block = BlockBandedSpd::Block;

constexpr int kPanel = 8, kWidePanel = 16; ///< columns at once

/// C -= A B^T from a row and column on.
void subtractProduct(const Block& A, const Block& B, Block& C, Eigen::Index from, Eigen::Index columns) {
  addProduct(-1, A.data() + from, size_t(A.outerStride()), B.data() + from, size_t(B.outerStride()),
             C.data() + from + from * C.outerStride(), size_t(C.outerStride()), int(C.rows() - from), int(columns),
             int(A.cols()));
}

/// X <- X L^-T, L a lower triangle; by panels of columns.
void divide(Block& X, const Block& L) {
  const Eigen::Index n = L.cols(), rows = X.rows();
  for (Eigen::Index c = 0; c < n; c += kPanel) {
    const Eigen::Index end = std::min<Eigen::Index>(n, c + kPanel);
    for (Eigen::Index k = c; k < end; ++k) {
      for (Eigen::Index before = c; before < k; ++before)
        addScaled(-L(k, before), X.col(before).data(), X.col(k).data(), size_t(rows));
      X.col(k) /= L(k, k);
    }
    addProduct(-1, X.col(c).data(), size_t(X.outerStride()), &L.coeffRef(end, c), size_t(L.outerStride()),
               X.data() + end * X.outerStride(), size_t(X.outerStride()), int(rows), int(n - end), int(end - c));
  }
}

} // namespace

void BlockBandedSpd::subtractTimes(const Rows& x, Rows& to) const {
  const auto part = [&](auto& of, int k) { return of.middleRows(Eigen::Index(k) * size_, size_); };
  for (int j = 0; j < blocks_; ++j) {
    part(to, j).noalias() -= block(j, j).selfadjointView<Eigen::Lower>() * part(x, j);
    for (int i = j + 1; i <= std::min(blocks_ - 1, j + half_); ++i) {
      part(to, i).noalias() -= block(i, j) * part(x, j);
      part(to, j).noalias() -= block(i, j).transpose() * part(x, i);
    }
  }
}

bool BlockBandedSpd::factor() {
  for (int k = 0; k < blocks_; ++k) {
    Block& d = block(k, k);
    Eigen::LLT<Eigen::Ref<Block>, Eigen::Lower> llt(d); // in place
    if (llt.info() != Eigen::Success) return false;
    const int last = std::min(blocks_ - 1, k + half_);
    for (int i = k + 1; i <= last; ++i) divide(block(i, k), d);
    for (int j = k + 1; j <= last; ++j) {
      for (int i = j + 1; i <= last; ++i) subtractProduct(block(i, k), block(j, k), block(i, j), 0, size_);
      // Of the one on the diagonal the lower triangle.
      for (int c = 0; c < size_; c += kWidePanel)
        subtractProduct(block(j, k), block(j, k), block(j, j), c, std::min(kWidePanel, size_ - c));
    }
  }
  return true;
}

void BlockBandedSpd::solve(Rows& rhs) const {
  const auto part = [&](int k) { return rhs.middleRows(Eigen::Index(k) * size_, size_); };
  for (int k = 0; k < blocks_; ++k) {
    auto x = part(k);
    for (int j = std::max(0, k - half_); j < k; ++j) x.noalias() -= block(k, j) * part(j);
    block(k, k).triangularView<Eigen::Lower>().solveInPlace(x);
  }
  for (int k = blocks_ - 1; k >= 0; --k) {
    auto x = part(k);
    for (int i = k + 1; i <= std::min(blocks_ - 1, k + half_); ++i) x.noalias() -= block(i, k).transpose() * part(i);
    block(k, k).triangularView<Eigen::Lower>().transpose().solveInPlace(x);
  }
}

} // namespace lumsk::nurbs
