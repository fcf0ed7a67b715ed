#pragma once
#include "base/context.h"
#include "brep/history.h"

namespace lumsk::brep {

/// Faces on their way to being knitted, of which some were bent so that they meet.
struct Pulled {
  std::vector<NamedFace> faces;
  int edges = 0;            ///< pairs of edges that were apart
  double widestMm = 0.0;    ///< of them
  double movedMm = 0.0;     ///< what moved most
  Vec3 at = Vec3::Zero();   ///< where the widest was
  double bentDeg = 0.0;     ///< how far those that were about tangent still miss that, at worst
  Vec3 bentAt = Vec3::Zero();
};

/// Whole sides of untrimmed faces that lie all along another open edge, no further than `limit` away, are brought
/// together: both halfway where the other is such a side, else all of the way. Where the faces were about tangent (5
/// degrees) they become so; else only places move. What they share with others moves along. The changes fade out towards
/// the sides opposite (`nurbs::matchSides`). Fails as that does, and with LM-B006 (a skin would fold: place).
Expected<Pulled> pulledTogether(std::vector<NamedFace> faces, LengthTolerance limit, const Context& cx);

} // namespace lumsk::brep
