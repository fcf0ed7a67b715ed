#pragma once
#include "inspect/joins.h"
#include "nurbs/core/path.h"

namespace lumsk::inspect {

/// How curves go on in one another: every inner joint of every path, its closing joint, and all ends of different open
/// paths that lie within `nearMm` of one another. `edge` is "3" for the third joint of a path. Curvature and its rate
/// are vectors by arc length, compared with the floors that joins of faces have; L is the box's diagonal of both paths.
/// A joint that turns by less than the smooth-edge tolerance counts as meant smooth.
struct CurveJoint : Join {
  int curve = 0, other = 0; ///< indices of the paths; the same one for its own joints
  Vec3 at = Vec3::Zero();
};
std::vector<CurveJoint> curveJoints(const std::vector<const nurbs::Path*>& paths, double nearMm, const Tolerances& tol);

} // namespace lumsk::inspect
