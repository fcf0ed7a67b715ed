#pragma once
#include "nurbs/core/spline.h"

#include <functional>
#include <vector>

namespace lumsk::nurbs {

/// A place of a curve over [0, 1] and its first derivative.
using PlaceAlong = std::function<std::array<Vec3, 2>(double)>;

/// Partners of two curves that face one another: a smooth, strictly increasing function of the first one's parameter to
/// the second one's, near equality, with which the ways between partners stand as square to both as its own evenness
/// lets them (least squares; Gauss and Newton). Of closed curves it is periodic, and may begin beyond the start, unless
/// `held`. Equality where there is nothing to gain.
class SquarePairs {
public:
  SquarePairs(const PlaceAlong& first, const PlaceAlong& second, bool closed, bool held);
  double operator()(double s) const { return s + shift(s, 0); }

private:
  double shift(double s, int order) const;

  bool closed_;
  Knots knots_;
  Eigen::VectorXd shift_; ///< control values
};

} // namespace lumsk::nurbs
