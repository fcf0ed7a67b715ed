#pragma once
#include "brep/body.h"
#include "inspect/joins.h"

namespace lumsk::inspect {

/// A ring of open edges.
struct Opening {
  double lengthMm = 0.0;
  int edges = 0, edge = -1; ///< how many; one of them, in the body's order
  std::vector<Vec3> outline; ///< points along it
};

/// What a person wants to know of a body at a glance.
struct BodyState {
  bool solid = false, valid = false;
  int faces = 0, openEdges = 0, controlPoints = 0;
  double volumeMm3 = 0.0; ///< 0 for skins
  double areaMm2 = 0.0;
  Vec3 boxLow = Vec3::Zero(), boxHigh = Vec3::Zero();
  double largestToleranceMm = 0.0;
  std::vector<Opening> openings;
};

BodyState stateOf(const brep::Body& b);

/// Smallest concave radius of the untrimmed faces on the front (or the back), mm; 1e300 when there is none.
struct SmallestRadius {
  double mm = 1e300;
  Vec3 at = Vec3::Zero();
};
SmallestRadius smallestRadius(const brep::Body& b, bool front);

} // namespace lumsk::inspect
