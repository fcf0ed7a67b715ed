#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep::offset {

/// A wall whose rims, square to the skin, become half rounds: beads of half the thickness that leave front and back
/// tangentially and stand out by as much; at convex corners parts of balls. `step`: whose faces they are, by their names.
/// Fails with LM-T016 (a corner that goes inwards, or a rim that is not as thick all along: place) and as `curlAlong` and
/// `knitFaces` do.
Expected<BodyPtr> withRoundedRims(const Body& wall, const std::string& step, double thicknessMm, const Context& cx);

} // namespace lumsk::brep::offset
