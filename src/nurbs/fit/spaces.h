#pragma once
#include "base/problem.h"
#include "nurbs/core/banded.h"
#include "nurbs/core/surface.h"

#include <vector>

namespace lumsk::nurbs {

// Functions of one parameter in a spline space.

/// Knots of a space that holds two others of one degree.
Knots knotsOfBoth(const Knots& a, const Knots& b);

/// Control rows of what takes the given values, one row each, at the Greville abscissae.
Rows rowsThrough(int degree, const Knots& knots, Rows values);

/// Control rows in a space of what has `rows` in another one, by its values at the Greville abscissae: exact where the
/// space holds it.
Rows rowsIn(int fromDegree, const Knots& from, const Rows& rows, int toDegree, const Knots& to);

/// The value, or a derivative to third order, of what has `rows` as control rows.
Eigen::RowVectorXd valueOf(int degree, const Knots& knots, const Rows& rows, double t, int order = 0);

/// Control points of a surface by rows across (v): row j holds x, y, z of point (0, j), (1, j), ...
Rows rowsAcross(const Surface& s);

/// A surface with its control rows across (v) in another space, which must hold them.
Surface withSpaceV(const Surface& s, int degree, const Knots& knots);

/// Functions that are 1 at one of the places and 0 at the others, one row each. Open: polynomials of up to six places
/// that the degree allows, quintic splines of more (in the space when its breaks hold their averaged knots). Periodic
/// (the knots are clamped, value and three derivatives agree at the seam): of least third derivative. Fails with
/// LM-G008 where the space has no room.
Expected<Rows> cardinalFunctions(int degree, const Knots& knots, const std::vector<double>& places, bool periodic);

} // namespace lumsk::nurbs
