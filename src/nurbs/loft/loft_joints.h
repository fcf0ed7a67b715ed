#pragma once
#include "nurbs/loft/loft_ends.h"

namespace lumsk::nurbs {

/// Aligns sections anew by their joints, and keeps these, where they have them.
/// Joints are places where the curvature of all sections jumps, as many in each and in the same order: the ends of the arcs of rounded
/// rectangles. They belong together, so that skins bend abruptly along lines across the sections and evenly between them.
/// Closed sections that begin nowhere in particular begin at one. `started`: the sections as they were aligned.
void alignAtJoints(LoftPlaces& places, std::vector<Section> started, bool around, const Tolerances& tol);

/// Stretches, `perStretch` surfaces each, divided at joints as they are at corners.
std::vector<Surface> dividedAtJoints(const std::vector<Surface>& strips, int perStretch, const std::vector<LoftPlace>& joints);

} // namespace lumsk::nurbs
