#pragma once
#include "base/context.h"
#include "inspect/fields.h"

namespace lumsk::inspect {

/// A narrow place: across the material, or across the gap between two sides of it.
struct Narrow {
  double mm = 0.0;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
};

struct NarrowPlaces {
  std::optional<Narrow> least;  ///< nothing where no two sides look at each other
  double areaMm2 = 0.0;         ///< of what is narrower than the limit; of both sides
  std::vector<Narrow> below;    ///< the narrowest places below the limit, far from one another
};

/// Walls of a solid along its inward normals (see `wallAt`): measured at the points of its meshes, and the least from
/// there along the surfaces to where it is least (compass search; Hooke & Jeeves 1961).
NarrowPlaces narrowWalls(const MeasuredForm& form, double limitMm, const Context& cx);
/// Gaps between sides of a form that look at each other within 60 degrees, likewise along outward normals. In a groove
/// that is sharper than that they go to nought at its bottom.
NarrowPlaces narrowGaps(const MeasuredForm& form, double limitMm, const Context& cx);

} // namespace lumsk::inspect
