#pragma once
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

namespace lumsk::nurbs {

struct ClosestOnPath {
  double t = 0.0;
  Vec3 point = Vec3::Zero();
  double distanceMm = 0.0; ///< for `farthestAlong`: along the direction
};
/// Nearest point of a path: every span is sampled, the promising places are polished by safeguarded Newton steps.
ClosestOnPath closestPoint(const Path& path, const Vec3& p);

/// The place of a path that lies farthest along a direction: sampled, then polished by golden sections.
ClosestOnPath farthestAlong(const Path& path, const Vec3& direction);

struct ClosestOnSurface {
  double u = 0.0, v = 0.0;
  Vec3 point = Vec3::Zero();
  double distanceMm = 0.0;
};
/// Nearest point of a surface, borders included.
ClosestOnSurface closestPoint(const Surface& s, const Vec3& p);

/// Gradient and second derivatives of half the squared distance to a point, by a surface's parameters: nought where the
/// foot of the perpendicular is. `d`: the surface's derivatives there, to second order.
struct FootSystem {
  Vec2 gradient;
  Eigen::Matrix2d bend;
};
FootSystem footSystem(const SurfaceDerivatives& d, const Vec3& p);
/// The same without the second derivatives: always downhill (Gauss and Newton).
FootSystem straightFootSystem(const SurfaceDerivatives& d, const Vec3& p);
/// The first where the distance curves upwards there, else the second: a step by it never leads uphill.
FootSystem downhillFootSystem(const SurfaceDerivatives& d, const Vec3& p);

} // namespace lumsk::nurbs
