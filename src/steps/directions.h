#pragma once
#include "steps/curves.h"

namespace lumsk::steps {

// Directions and axes that a pick gives.

/// What tells a line: a plane's normal, a straight curve or edge, the axis of a circle or of a round face, a flat face's
/// normal.
constexpr recipe::Kind kLine = recipe::Kind::Plane | recipe::Kind::Curve | recipe::Kind::Edge | recipe::Kind::Face;

struct PickedLine {
  Vec3 at = Vec3::Zero(), direction = Vec3::UnitZ(); ///< unit
};
/// The line that a pick tells. Fails with LM-X007 where it tells none.
Expected<PickedLine> lineOf(const recipe::Picked& pick, const std::string& key, const Tolerances& tol);
/// Of the first pick of a field; where nothing is picked the upright axis, or another one.
Expected<PickedLine> lineOf(const recipe::Inputs& in, const std::string& key, const Tolerances& tol, const PickedLine& otherwise = {});

/// Options of a choice of the world's axes, the first one under words of its own, and "as picked".
std::vector<recipe::Option> axisOptions(std::string upwards);
/// The axis of such a choice: unit; as picked: along the first pick of the other field. Fails with LM-X010 where nothing is
/// picked, and as `lineOf` does.
Expected<Vec3> axisIn(const recipe::Inputs& in, const std::string& key, const std::string& picksKey, const Tolerances& tol);

/// "z", "-x", or three numbers.
std::string directionWords(const Vec3& d);

} // namespace lumsk::steps
