#pragma once
#include <Eigen/Core>
#include <vector>

namespace lumsk::nurbs {

/// Many right-hand sides side by side, row-major so that one elimination step runs over contiguous memory.
using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

/// Symmetric positive definite matrix n x n of half bandwidth b, optionally cyclic: entry (i, j) may be non-zero
/// where the distance of i and j, counted around the end when cyclic, is at most b.
/// Factored once by Cholesky (cyclic: bordered by the last b unknowns), then solved for any number of right-hand sides.
/// Source: Golub & Van Loan 2013, 4.3.
class BandedSpd {
public:
  BandedSpd(int n, int halfBandwidth, bool cyclic);

  void add(int i, int j, double value); ///< both triangles are meant; call once per unordered pair
  /// Adds weight N N^T of `count` entries from `first` on. False, and nothing added, where that is not inside the band.
  bool addOuter(int first, const double* N, int count, double weight);
  /// False if the matrix is not positive definite.
  bool factor();
  /// Overwrites `rhs` (n rows) by the solution. Only after `factor`.
  void solve(Rows& rhs) const;

private:
  double& band(int i, int j) { return band_[size_t(i) * (b_ + 1) + (i - j)]; }
  double band(int i, int j) const { return band_[size_t(i) * (b_ + 1) + (i - j)]; }
  void solveBand(Rows& rhs) const;

  int n_, b_, core_;         ///< core_: unknowns outside the border
  std::vector<double> band_; ///< lower band of the core
  Rows border_;              ///< core_ x border entries
  Rows corner_;              ///< border x border
  Rows solvedBorder_;        ///< core^-1 * border
};

/// General banded matrix with `lower` and `upper` bandwidths, factored without pivoting: safe for the totally
/// positive collocation matrices of spline interpolation (de Boor & Pinkus 1977).
class BandedLu {
public:
  BandedLu(int n, int lower, int upper);
  double& at(int i, int j) { return a_[size_t(i) * (l_ + u_ + 1) + (j - i + l_)]; }
  bool factor();
  void solve(Rows& rhs) const;

private:
  double at(int i, int j) const { return a_[size_t(i) * (l_ + u_ + 1) + (j - i + l_)]; }
  int n_, l_, u_;
  std::vector<double> a_;
};

} // namespace lumsk::nurbs
