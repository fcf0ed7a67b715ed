#pragma once
#include "nurbs/path.h"
#include "nurbs/surface.h"

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

} // namespace lumsk::nurbs
