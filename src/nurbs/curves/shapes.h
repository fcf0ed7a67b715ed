#pragma once
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

// Planar curves on a frame. Sizes in mm, all over; every function fails with LM-G005 when a size is not positive
// or not usable.

Expected<Path> circle(const Frame& on, double diameter);
Expected<Path> ellipse(const Frame& on, double width, double depth, LengthTolerance point);
/// |x/a|^n + |y/b|^n = 1 with exponent n from 2.05 to 20: a spline within `fit` (Gardner 1965).
Expected<Path> superellipse(const Frame& on, double width, double depth, double exponent, const Tolerances& tol);
/// Four lines and four quarter arcs; radius 0 gives sharp corners. Fails with LM-G009 when the radius does not fit.
Expected<Path> roundedRectangle(const Frame& on, double width, double depth, double radius, LengthTolerance point);
/// Regular polygon of 3..64 sides with corners on a circle; corner radius 0 leaves them sharp.
Expected<Path> polygon(const Frame& on, double diameter, int sides, double radius, LengthTolerance point);
Expected<Path> line(const Vec3& a, const Vec3& b, LengthTolerance point);
/// Arc on a frame: centre at its origin, from one angle to another (degrees, counter-clockwise).
Expected<Path> arc(const Frame& on, double radius, double fromDeg, double toDeg, LengthTolerance point);
/// Control polygon to spline of the degree with equal spans; closed ones are periodic.
Expected<Spline> controlPointSpline(const Points& points, int degree, bool closed);

} // namespace lumsk::nurbs
