#pragma once
#include "nurbs/curves/curve_ends.h"
#include "nurbs/fit/fit.h"

namespace lumsk::nurbs {

// Other control points for the same curve, or nearly so.

struct RefitOptions {
  int degree = 5;                 ///< 2..7
  int spans = 0;                  ///< equal ones on every stretch; 0: as few as stay within the next
  LengthTolerance within{0.0005}; ///< largest distance from the old curve
  bool keepCorners = true;        ///< stretches between corners are refitted each by itself; else corners are rounded
  bool fair = false;              ///< spend what is left of `within` on smoothness
};
/// The curve on new spans by arc length: joints go, corners stay or not. Smooth closed curves stay so at their seam.
/// Fails with LM-P044 (degree or spans out of range), LM-G101.
Expected<ChangedCurve> refitted(const Path& p, const RefitOptions& o, const Context& cx);

/// A smooth spline through all joints of a chain, the corners of a polyline among them.
Expected<ChangedCurve> throughJoints(const Path& p, int degree, const Context& cx);

/// A knot put into the spline at a parameter of the path; the shape stays. Lines and arcs become splines first. Fails
/// with LM-P044 where there is no room for another knot.
Expected<ChangedCurve> withKnot(const Path& p, double at, const Context& cx);
/// Knots taken out of its splines as long as the curve moves by at most `most`.
Expected<ChangedCurve> withFewerKnots(const Path& p, LengthTolerance most, const Context& cx);
/// Every spline of a lower degree raised to it; the shape stays.
Expected<ChangedCurve> withDegree(const Path& p, int degree, const Context& cx);

/// The curve between two: `weight` 0 is the first, 1 the second, at equal fractions of their lengths after their
/// directions, starts and corners were brought together.
Expected<Path> curveBetween(const Path& a, const Path& b, double weight, const Context& cx);

/// What there is to know of a path at a glance.
struct PathFigures {
  int degree = 0, spans = 0, controlPoints = 0;
  double lengthMm = 0.0;
};
PathFigures figuresOf(const Path& p);

} // namespace lumsk::nurbs
