#pragma once
#include "brep/placed.h"
#include "nurbs/placing/align.h"
#include "steps/directions.h"

namespace lumsk::steps {

// What is moved, scaled, aligned or repeated: bodies, curves, points and planes alike.

constexpr recipe::Kind kPlaceable = recipe::Kind::Skin | recipe::Kind::Solid | recipe::Kind::Curve | recipe::Kind::Point;

/// Where a thing's handle stands, and what it is turned or copied about: the middle of its box.
Vec3 middleOf(const recipe::Object& o);
/// How large it is: half of its box's diagonal, mm.
double sizeOf(const recipe::Object& o);

/// The same thing elsewhere. A body's faces are named by `nameOf`; without it they keep their names.
Expected<recipe::Object> placed(const recipe::Object& o, const Eigen::Affine3d& t, const std::function<std::string(const std::string&)>& nameOf = {});

/// All picks of a field placed by one move; they go on as themselves, or with `copy` beside the originals.
Expected<void> putPlaced(recipe::Outcome& out, const std::vector<recipe::Picked>& picks, const Eigen::Affine3d& t, bool copy);

} // namespace lumsk::steps
