#pragma once
#include "nurbs/core/path.h"

#include <optional>

namespace lumsk::nurbs {

/// The ellipse, or its arc, that points in order lie on within `mm`; nothing when they lie on none, or on so short a
/// piece that it is not clear on which. By least squares on the general conic in the points' plane.
std::optional<EllipseArc> ellipseThrough(const Points& points, bool closed, double mm);

} // namespace lumsk::nurbs
