#pragma once
#include "nurbs/core/path.h"

#include <functional>

namespace lumsk::nurbs {

/// Parameters where the spline function with these coefficients is nought, in order, double ones too: Bernstein
/// subdivision with Descartes' rule of signs (Lane & Riesenfeld 1981), so none is lost. Stretches on which it is nought
/// throughout give their two ends.
std::vector<double> zeros(int degree, const Knots& knots, const std::vector<double>& coefficients);

/// Parameters inside a segment, as fractions of it, where its height along a direction has no slope; empty for lines.
std::vector<double> levelPlaces(const Segment& s, const Vec3& direction);

/// Parameters of a path where it crosses or touches a plane within `touchMm`, in order.
std::vector<double> planeCrossings(const Path& p, const Frame& plane, double touchMm);

/// Root of a function between a and b, where it has different signs: Newton's steps within a bracket.
/// `f` returns value and derivative.
double bracketedRoot(const std::function<std::pair<double, double>(double)>& f, double a, double b);

} // namespace lumsk::nurbs
