#pragma once
#include "nurbs/patch/patch_fit.h"

namespace lumsk::nurbs {

/// A patch as `fitPatch` makes it from its sides alone, moved to come within a distance of the guides and otherwise as
/// even as can be: a field that is nought on the sides, with as many derivatives as they ask for, on as few knots as
/// come near enough, is added to it. What it weighs beside its evenness is found by bisection over powers of ten
/// (Reinsch 1967, the other way round). As the patch is the most even one with its sides, what the field adds is all
/// that is to be made even. `guideMm`: how far the guides are left, more than `within` where none comes near enough.
Expected<PatchFitted> fitPatchLoosely(const std::array<PatchSide, 4>& sides, const PatchFitOptions& options,
                                      LengthTolerance within, const Context& cx, double& guideMm);

} // namespace lumsk::nurbs
