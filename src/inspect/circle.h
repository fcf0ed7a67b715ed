#pragma once
#include "base/tolerances.h"
#include "brep/body.h"
#include "nurbs/curves/correspond.h"

#include <optional>

namespace lumsk::inspect {

struct Circle {
  Vec3 centre = Vec3::Zero(), axis = Vec3::UnitZ(); ///< axis: unit
  double radiusMm = 0;
};
/// The circle that a curve is all or part of, within the tolerance of points; none when it is another curve.
std::optional<Circle> circleOf(const nurbs::Path& path, const Tolerances& tol);

/// The axis that a face turns about: of cylinders, cones, spheres (upright), rings and faces of revolution, of splines where
/// their parameter curves of one family are circles about one line within the tolerance of points. The radius is that at the
/// middle of the face. None for other faces.
std::optional<Circle> axisOf(const brep::Body& body, int face, const Tolerances& tol);

} // namespace lumsk::inspect
