#pragma once
#include "nurbs/core/surface.h"

#include "base/context.h"

namespace lumsk::nurbs {

/// How a surface goes on beyond a side: as it bends there, and as that changes; straight; or round, as it bends at the side.
enum class GoOn { Natural, Straight, Round };

/// The surface made larger beyond its sides (first u, last u, first v, last v) by lengths along its lines across them,
/// mm; nought: not. What was there stays exactly as it is; across the old side the lines agree to the second derivative,
/// straight ones to the first. Corners follow, as the second direction goes on from the first one's new border. Fails
/// with LM-C030 (a side is a point: place), LM-C031 (it folds over beyond the side, or its lines are spaced too
/// unevenly: place).
Expected<Surface> extended(const Surface& s, const std::array<double, 4>& lengthsMm, GoOn how, const Context& cx);

} // namespace lumsk::nurbs
