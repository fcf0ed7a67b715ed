#pragma once
#include "recipe/edit.h"

namespace lumsk::recipe {

// Points of a points field.

/// Where a points field has its places: as the step says, else in the plane that its field names; nothing: in space.
std::optional<PointsPlace> placeOf(const StepEntry& entry, const Field& f, const Model& model);

/// Ids and places as they are stored; none where an expression does not hold.
std::vector<std::pair<std::string, std::optional<Vec3>>> pointsOf(const StepEntry& entry, const std::string& field,
                                                                  const Names& names);

/// A place pointed at: what was snapped to stays exact, the rest is rounded.
struct PointedAt {
  Vec3 world = Vec3::Zero();
  bool snapped = false;
};
struct PointsIn {
  const Model& model;
  const Registry& registry;
  Names names;
};
/// A new point at the end, or another place for one. Where the first or the last point lies in the mirror plane and the
/// next one does not, the end is made square to the plane; otherwise an end that was square is free again. Only ends
/// near the point that moved.
Recipe withNewPoint(const Recipe& r, const ItemRef& field, const PointedAt& to, const PointsIn& in);
Recipe withPointAt(const Recipe& r, const ItemRef& point, const PointedAt& to, const PointsIn& in);

} // namespace lumsk::recipe
