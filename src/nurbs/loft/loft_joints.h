#pragma once
#include "nurbs/loft/loft_ends.h"

namespace lumsk::nurbs {

/// Places where the curvature of all sections jumps, as many in each and in the same order: the ends of the arcs of rounded
/// rectangles. They belong together, so that skins bend abruptly along lines across the sections and evenly between them.
/// Nothing where the sections differ in that.
std::vector<PairLine> pairedJoints(const LoftPlaces& places);

} // namespace lumsk::nurbs
