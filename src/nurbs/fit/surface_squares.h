#pragma once
#include "nurbs/core/block_banded.h"
#include "nurbs/core/surface.h"

#include <optional>

namespace lumsk::nurbs {

/// Rows of a least squares problem at one place of a surface: each asks for a value of a linear function of the
/// derivatives there.
class PlaceRows {
public:
  /// A part of such a function: `by` . d^(a+b) S / du^a dv^b.
  struct Term {
    int a = 0, b = 0;
    Vec3 by = Vec3::Zero();
  };

  /// `order`: the highest derivative that is asked for, up to 3. `exchanged`: terms say first what is second here.
  PlaceRows(const Knots& U, const Knots& V, int degree, double u, double v, int order, bool exchanged = false);

  /// `weight` of the error, not its square
  void ask(std::initializer_list<Term> terms, double wanted, double weight) { ask(terms.begin(), terms.end(), wanted, weight); }
  void ask(const Term* first, const Term* last, double wanted, double weight);
  void askPoint(const Vec3& wanted, double weight);

private:
  friend class SurfaceSquares;
  BasisDerivatives u_, v_;
  int i0_ = 0, ni_ = 0, j0_ = 0, nj_ = 0; ///< functions that are not nought with all their derivatives
  Eigen::MatrixXd rows_;                  ///< one column a row: all of i, j, x y z
  Eigen::VectorXd wanted_;
  int count_ = 0;
  bool exchanged_ = false;
};

/// Least squares for the control points of a surface on given knots over [0, 1]^2, with what keeps it even: the
/// integral of the squared third derivatives (Celniker & Gossard 1991, of the next order).
class SurfaceSquares {
public:
  SurfaceSquares(int degree, Knots U, Knots V);

  /// Forgets all rows; evenness counts as `weight` in a patch of these lengths, over its mean length squared.
  /// `about`: a surface near the solution. Where it has these knots, what is solved for is the way from it, which
  /// rounds less (Bjorck 1987).
  /// `bending`: so many times the integral of the squared second derivatives counts beside, for what third ones leave free.
  void begin(double weight, double lengthU, double lengthV, const Surface* about, double bending = 0);
  void add(const PlaceRows& rows);
  /// Control points stay nought (or those of `about`) with derivatives across a side up to these orders, around from
  /// v = 0; -1: none. After all rows.
  void hold(const std::array<int, 4>& orders);
  /// Nothing where the rows leave places undetermined.
  std::optional<Surface> solve();

  PlaceRows at(double u, double v, int order) const {
    return exchanged_ ? PlaceRows{U_, V_, degree_, v, u, order, true} : PlaceRows{U_, V_, degree_, u, v, order};
  }

private:
  void addEvenness(int order, double weight, double lengthU, double lengthV);

  std::vector<Eigen::Index> held_; ///< unknowns
  bool exchanged_ = false;         ///< u and v: the shorter way across makes the smaller blocks
  int degree_;
  Knots U_, V_;
  int nu_, nv_;
  std::array<Rows, 4> gramU_,
      gramV_; ///< of derivatives of every order, banded: column q is with the q-th next function
  BlockBandedSpd matrix_;
  Rows rhs_, about_; ///< the latter: control points to go on from, or nothing
};

} // namespace lumsk::nurbs
