#pragma once
#include "brep/knit.h"

namespace lumsk::brep {

/// The mirror image of a body in a plane; faces are named "STEP.image(SOURCE)".
Expected<BodyPtr> mirrored(const Body& b, const Frame& plane, const std::string& step);

struct MirrorOptions {
  std::string step;
  LengthTolerance largestGap{0.01}; ///< edges this near to the plane count as in it
  bool mergeSeam = false;           ///< untrimmed faces that meet their image become one face, with their own name
};

struct Mirrored {
  BodyPtr body;
  int merged = 0;           ///< faces that became one with their image
  double mergedOffMm = 0.0; ///< how far that moved them at most
};

/// A half and its image as one body, joined along the edges in the plane; faces of a solid that lie in the plane go.
/// Fails with LM-M001 (the half crosses the plane: how far and where), LM-M002 (no edge lies in the plane: nearest
/// distance), LM-B00x.
Expected<Mirrored> joinWithImage(const Body& half, const Frame& plane, const MirrorOptions& options, const Context& cx);

} // namespace lumsk::brep
