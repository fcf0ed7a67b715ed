#pragma once
#include "nurbs/core/banded.h"

namespace lumsk::nurbs {

/// Symmetric positive definite matrix of `blocks` x `blocks` dense blocks of equal size, non-zero where their numbers
/// differ by at most `half`: what least squares over a grid of control points come to, a block a row of the grid.
/// Blocked Cholesky (Golub & Van Loan 2013, 4.2.9).
class BlockBandedSpd {
public:
  BlockBandedSpd(int blocks, int size, int half);

  void clear();
  /// `to` -= the matrix times x. Only before `factor`.
  void subtractTimes(const Rows& x, Rows& to) const;
  /// False if the matrix is not positive definite.
  bool factor();
  /// Overwrites `rhs` by the solution. Only after `factor`.
  void solve(Rows& rhs) const;

  using Block = Eigen::MatrixXd;
  Block& block(int i, int j) { return all_[size_t(j) * size_t(half_ + 1) + size_t(i - j)]; } ///< of the lower triangle

private:
  const Block& block(int i, int j) const { return all_[size_t(j) * size_t(half_ + 1) + size_t(i - j)]; }

  int blocks_, size_, half_;
  std::vector<Block> all_; ///< block (i, j) of the lower triangle, by columns
};

} // namespace lumsk::nurbs
