#include "nurbs/block_banded.h"

#include <Eigen/Cholesky>
#include <algorithm>

namespace lumsk::nurbs {

BlockBandedSpd::BlockBandedSpd(int blocks, int size, int half)
    : blocks_(blocks), size_(size), half_(std::min(half, blocks - 1)),
      all_(size_t(blocks) * size_t(half_ + 1), Block::Zero(size, size)) {}

void BlockBandedSpd::clear() {
  for (Block& b : all_) b.setZero();
}

double& BlockBandedSpd::at(int i, int j) { return block(i / size_, j / size_)(i % size_, j % size_); }

bool BlockBandedSpd::factor() {
  for (int k = 0; k < blocks_; ++k) {
    Block& d = block(k, k);
    Eigen::LLT<Eigen::Ref<Block>, Eigen::Lower> llt(d); // in place
    if (llt.info() != Eigen::Success) return false;
    const int last = std::min(blocks_ - 1, k + half_);
    for (int i = k + 1; i <= last; ++i)
      d.triangularView<Eigen::Lower>().transpose().solveInPlace<Eigen::OnTheRight>(block(i, k));
    for (int j = k + 1; j <= last; ++j) {
      for (int i = j + 1; i <= last; ++i) block(i, j).noalias() -= block(i, k) * block(j, k).transpose();
      block(j, j).selfadjointView<Eigen::Lower>().rankUpdate(block(j, k), -1.0);
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
