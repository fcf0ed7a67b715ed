#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

// Constructions in a plane.

struct OffsetCurves {
  std::vector<Path> curves; ///< longest first; a narrow form may fall into several
  double deviationMm = 0.0;
};
enum class OffsetCorner { Round, Sharp };
/// A planar path at a distance in its plane, to the left of its direction seen against the plane's normal (negative:
/// to the right). Outer corners get an arc or the meeting of both sides carried on straight, inner ones are cut where
/// the sides cross; what would come nearer to the path than the distance is left out, so that loops go. Fails with
/// LM-P051 (not planar within ten `point`), LM-P052 (nothing is left: the largest distance that works is not far
/// below), LM-G101.
Expected<OffsetCurves> offsetInPlane(const Path& p, const Frame& plane, double distanceMm, OffsetCorner corner,
                                     const Context& cx);

/// The borders of the band that lies beside a planar path, so far to its left and to its right as `offsetInPlane` says:
/// of a closed path the outer and the inner one, of an open one a single closed one with straight ends. Ends are square to
/// the path. Fails with LM-P059 where a side folds (place), and as `offsetInPlane`.
Expected<std::vector<Path>> bandAlong(const Path& p, const Frame& plane, double leftMm, double rightMm, const Context& cx);

/// Corners of a chain rounded with one radius: an arc between lines, between other planar pieces the arc that is
/// tangent to both. Fails with LM-P053 (no corner), LM-P054 (a radius that does not fit: place), LM-P051 (pieces at a
/// corner that are not in one plane).
Expected<Path> roundedCorners(const Path& p, double radiusMm, const Context& cx);

/// The conic section from a to b that is tangent to both lines to the corner. `rho`: how far it reaches from the
/// chord's middle towards the corner; 0.5 is a parabola, less an ellipse, more a hyperbola; 0.02 to 0.98. Within `fit`.
Expected<Path> conic(const Vec3& a, const Vec3& corner, const Vec3& b, double rho, const Context& cx);

} // namespace lumsk::nurbs
