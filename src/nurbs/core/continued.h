#pragma once
#include "nurbs/core/surface.h"

namespace lumsk::nurbs {

/// The surface made larger by one more span beyond each of the wanted sides (first u, last u, first v, last v; lengths
/// in parameters, nought: none). What was there stays exactly as it is. A new span goes on with the position and the
/// first `order` derivatives across the side (1: straight; 2: with its curvature), so it cannot swing out as the last
/// span's own polynomial may. Sides across which the surface is closed are left alone.
Surface continued(const Surface& s, const std::array<double, 4>& by, int order = 2);

/// One more span of length `by` beyond the last v: row i of the grid goes on as the Bezier curve `rows[i]` (degree + 1
/// points), which must agree with it to `order` derivatives.
Surface withSpan(const Surface& s, double by, int order, const std::vector<Points>& rows);

/// The same surface with v counted from the other end, its domain negated.
Surface turnedV(const Surface& s);

} // namespace lumsk::nurbs
