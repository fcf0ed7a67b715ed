#pragma once
#include "base/context.h"
#include "nurbs/fit/fit.h"

namespace lumsk::nurbs {

/// A curve given by points that lie on it exactly: `at` may be slow and its parameter rough.
struct PointFunction {
  std::function<Vec3(double)> at;
  /// Parameters, increasing: the ends, and between them all places where the function is not smooth.
  std::vector<double> stops;
  std::vector<char> kinked;  ///< of the inner stops: the curve itself is no more than tangent-continuous there
  std::vector<double> looks; ///< parameters at which it has been looked at: nothing between them is missed
  bool closed = false;       ///< the ends meet smoothly, and no stop stands there
};

struct TracedFit {
  Spline curve;             ///< over [0, 1] by arc length
  double deviationMm = 0.0; ///< largest distance at places between the samples
};

/// The curve as one spline on few spans within `fit`; at kinked stops it is C1 only. Samples are taken at equal arc
/// length, from a table that is halved until chords turn by less than 0.1 rad. Fails as `fitLean` does.
Expected<TracedFit> fitTraced(const PointFunction& f, LengthTolerance fit, int degree = 5);

} // namespace lumsk::nurbs
