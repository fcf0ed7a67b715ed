#pragma once
#include "nurbs/patch/fill.h"

namespace lumsk::nurbs {

/// A filled ring as four-sided patches round the middle of its fill.
struct FillPatches {
  std::vector<Surface> patches; ///< over [0, 1]^2, degree 5; neighbours have equal control points along the side that they share
  double offMm = 0.0, offDeg = 0.0; ///< from the fill
};

/// Where the ring has three corners or more, one patch at each: from the middle of the side before it over the corner to the
/// middle of the side after it and the fill's middle. Where it has fewer, or turns by less than 25 degrees or outwards at
/// one, patches side by side along it, and one or more within these. Each is laid out in the fill's domain between its four sides
/// (Coons 1967) and lies on the fill there, whose tangent planes and curvatures it takes over with as many spans as that needs.
/// `ring`: what was filled. Fails with LM-V016 (a patch would fold: its corner).
Expected<FillPatches> patchesOf(const FillResult& fill, const std::vector<FillEdge>& ring, const Context& cx);

} // namespace lumsk::nurbs
