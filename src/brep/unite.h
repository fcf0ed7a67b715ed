#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

struct United {
  BodyPtr body;
  int faces = 0, edges = 0; ///< that are fewer now
  double deviationMm = 0.0; ///< of faces that were refitted
  /// LM-C110: picked faces that stayed as they were: where they end, why (of those that share an edge with another picked one).
  std::vector<Problem> notes;
};

/// Neighbouring faces that are one smooth surface made one face: pieces of one surface, over its seam too; of planes,
/// cylinders and the like that are the same; of a skin that was cut straight across, which becomes what it was; and whole
/// splines that run on into one another, refitted within `fit`. `which`: face numbers; empty: all. `edges`: then edges that
/// run on in one another between the same two faces are made one, too (both by the kernel where surfaces are the same).
/// The first face's name stays. Fails with LM-C050 (none of them are one surface: where the best two meet and why not), LM-K00x.
Expected<United> united(const Body& b, const std::vector<int>& which, bool edges, const Context& cx);

} // namespace lumsk::brep
