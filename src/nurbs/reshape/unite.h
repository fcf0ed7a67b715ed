#pragma once
#include "nurbs/core/surface.h"

#include "base/context.h"

namespace lumsk::nurbs {

struct UnitedSurface {
  Surface surface;          ///< over [0, 1] in v
  double deviationMm = 0.0; ///< from both
};

/// Two surfaces, of which the first one's last v is the other one's first v, as one spline within `fit`: where they are
/// parts of one smooth surface, with no more control points than both had. Fails with LM-C052 where that is not so: their
/// lines along v turn (measured in degrees, place), their borders run at different parameters (measured in mm, place), or
/// one spline would need more control points.
Expected<UnitedSurface> united(const Surface& first, const Surface& second, const Context& cx);

} // namespace lumsk::nurbs
