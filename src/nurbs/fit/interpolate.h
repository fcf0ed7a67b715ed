#pragma once
#include "nurbs/core/banded.h"
#include "nurbs/core/path.h"

#include <optional>

namespace lumsk::nurbs {

enum class Spacing { Centripetal, ChordLength };

/// Parameters over [0, 1] for points in order (Lee 1989 for centripetal); n values, closed: n + 1 with 1 at the end.
std::vector<double> parametersFor(const Points& points, Spacing spacing, bool closed);

struct InterpolationOptions {
  int degree = 3;
  bool closed = false;
  Spacing spacing = Spacing::Centripetal;
  std::optional<Vec3> startTangent, endTangent; ///< directions with length relative to the natural speed (1 = natural)
};

/// The spline through points (n x 3, mm), degree lowered to n - 1 when there are too few points.
/// Fails with LM-G005 for fewer than two different points, LM-G006 for equal neighbours, LM-G007 for over 2000 points
/// of a closed curve.
Expected<Spline> interpolate(const Points& points, const InterpolationOptions& options);

/// As above for a curve that ends in a mirror plane: at the ends that are marked it is one form with its mirror image,
/// even to third order (G3), by passing through the mirrored points too. The degree is at least 5 where there are
/// points enough. Points at such ends must lie in the plane within `point`. Fails also with LM-G012 (an end off the
/// plane).
struct MirroredEnds {
  Frame plane;
  bool start = false, end = false;
};
Expected<Spline> interpolateMirrored(const Points& points, const MirroredEnds& ends, InterpolationOptions options,
                                     LengthTolerance point);

/// Interpolates rows of values at increasing parameters: rows of `values` are the data; row k of `startDerivatives` and
/// `endDerivatives` (none to three) fixes the derivative of order k + 1. Returns knots and control rows. Banded, linear
/// time.
struct RowInterpolation {
  Knots knots;
  Rows controls;
};
Expected<RowInterpolation> interpolateRows(const std::vector<double>& parameters, const Rows& values, int degree,
                                           const Rows& startDerivatives, const Rows& endDerivatives);
/// The same round a closed curve: one parameter more than rows, the last is the first again.
RowInterpolation interpolateClosedRows(const std::vector<double>& parameters, const Rows& values, int degree);

} // namespace lumsk::nurbs
