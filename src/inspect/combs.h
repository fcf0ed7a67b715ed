#pragma once
#include "nurbs/core/path.h"

namespace lumsk::inspect {

/// A curvature comb: teeth from points of the curve along the centre of curvature's far side, as long as
/// curvature x scale.
struct Comb {
  std::vector<Vec3> base, tip;   ///< mm
  std::vector<double> curvature; ///< 1/mm
  double largest = 0.0;          ///< 1/mm
  Vec3 largestAt = Vec3::Zero();
  double smallestRadiusMm = 1e300;
  std::vector<Vec3> extremes;    ///< where the curvature is largest or smallest among its neighbours
  std::vector<Vec3> inflections; ///< where a planar curve's curvature changes sign
};

/// `perSpan` teeth on every span of a spline and on every arc; `scaleMm2` is the tooth's length for a curvature of
/// 1/mm.
Comb comb(const nurbs::Path& path, int perSpan, double scaleMm2);

} // namespace lumsk::inspect
