#pragma once
#include "base/tolerances.h"
#include "nurbs/curves/correspond.h"

#include <optional>

namespace lumsk::inspect {

struct Circle {
  Vec3 centre = Vec3::Zero(), axis = Vec3::UnitZ(); ///< axis: unit
  double radiusMm = 0;
};
/// The circle that a curve is all or part of, within the tolerance of points; none when it is another curve.
std::optional<Circle> circleOf(const nurbs::Path& path, const Tolerances& tol);

} // namespace lumsk::inspect
