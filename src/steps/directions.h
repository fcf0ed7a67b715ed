#pragma once
#include "steps/curves.h"

namespace lumsk::steps {

// Directions and axes that a pick gives.

struct PickedLine {
  Vec3 at = Vec3::Zero(), direction = Vec3::UnitZ(); ///< unit
};
/// A plane's normal through its origin, a straight line's direction, the axis of a circle or an ellipse; the upright axis
/// where nothing is picked. Fails with LM-X007 where a curve gives none.
Expected<PickedLine> lineOf(const recipe::Inputs& in, const std::string& key, const Tolerances& tol);

} // namespace lumsk::steps
