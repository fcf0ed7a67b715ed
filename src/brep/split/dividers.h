#pragma once
#include "brep/split/cuts.h"
#include "brep/split/division.h"
#include "nurbs/measure/surface_measure.h"

namespace lumsk::brep::split {

/// A divider's faces, ready to cut.
struct ReadyDivider {
  CutterSheets sheets;
  int target = -1; ///< it is a target that cuts the others
};
/// Reads a divider into the net. `reachMm` negative: a share of its size.
Expected<ReadyDivider> ready(Net& net, const Divider& d, int number, const std::vector<BodyPtr>& targets,
                             const std::vector<std::vector<int>>& sheetsOf, const nurbs::Extent& box, double reachMm,
                             const Context& cx);

/// A plane as a face that reaches past a box.
Expected<BodyPtr> asBody(const Frame& plane, const nurbs::Extent& past, const Context& cx);
/// A curve carried along a direction past a box, as a skin; the front of a ring's is within it.
Expected<BodyPtr> curtain(const nurbs::Path& path, const Vec3& direction, const nurbs::Extent& past, const Context& cx);

} // namespace lumsk::brep::split
