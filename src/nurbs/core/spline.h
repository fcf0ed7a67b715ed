#pragma once
#include "base/problem.h"
#include "base/tolerances.h"
#include "nurbs/core/knots.h"

#include <array>

namespace lumsk::nurbs {

/// Point and derivatives to order 3 with respect to the parameter.
using CurveDerivatives = std::array<Vec3, kMaxDerivative + 1>;

/// Polynomial B-spline curve in space with clamped knots. A closed one ends where it starts; if it was made
/// periodic its derivatives agree there to degree - 1.
class Spline {
public:
  Spline() = default;

  /// `points` n x 3 in mm, `knots` of length n + degree + 1, degree 1..9.
  /// Fails with LM-G001 (degree, counts, order of knots) or LM-G002 (coordinates not finite or beyond 1e6 mm).
  static Expected<Spline> make(int degree, Knots knots, Points points, bool closed = false);
  /// For values known to be right (results of our own algorithms).
  static Spline trusted(int degree, Knots knots, Points points, bool closed = false);

  int degree() const { return degree_; }
  const Knots& knots() const { return knots_; }
  const Points& points() const { return points_; }
  int size() const { return int(points_.rows()); }
  bool closed() const { return closed_; }
  double first() const { return knots_[degree_]; }
  double last() const { return knots_[size()]; }
  int spans() const { return int(breakpoints(knots_, degree_).size()) - 1; }

  Vec3 at(double u) const;
  void derivatives(double u, int order, CurveDerivatives& out) const;
  Vec3 tangent(double u) const; ///< first derivative, mm per parameter

private:
  int degree_ = 1;
  Knots knots_{0, 0, 1, 1};
  Points points_ = Points::Zero(2, 3);
  bool closed_ = false;
};

/// Curvature vector's length, 1/mm.
double curvature(const CurveDerivatives& d);
/// Torsion, 1/mm; 0 where the curve is straight.
double torsion(const CurveDerivatives& d);

// Editing: every function returns a new curve; the shape is kept exactly unless a deviation is stated.

/// Inserts u `times` times (Piegl & Tiller 1997, A5.1), at most to multiplicity degree.
Spline insertKnot(const Spline& c, double u, int times = 1);
/// Inserts all the given knots.
Spline refineKnots(const Spline& c, const std::vector<double>& add);
/// Removes interior knots while the curve moves by at most `limit` (Tiller 1992, A5.8); returns the deviation bound.
struct RemovedKnots {
  Spline curve;
  int removed = 0;
  double deviationMm = 0.0;
};
RemovedKnots removeKnots(const Spline& c, LengthTolerance limit);
/// Degree raised by `by`, shape unchanged (through Bezier pieces; Piegl & Tiller 1997, 5.5).
Spline elevate(const Spline& c, int by);
/// The two parts at u; fails with LM-G003 outside the open domain.
Expected<std::pair<Spline, Spline>> split(const Spline& c, double u);
/// The part between two parameters.
Expected<Spline> portion(const Spline& c, double u0, double u1);
Spline reversed(const Spline& c);
/// Joins end to start; degrees are raised to the common one. Fails with LM-G004 if the gap exceeds `limit`.
Expected<Spline> join(const Spline& a, const Spline& b, LengthTolerance limit);
/// Same shape over [0, 1].
Spline normalised(const Spline& c);
/// Moved, turned, mirrored or scaled: its control points are.
Spline transformed(const Spline& c, const Eigen::Affine3d& t);
/// Turns an unclamped curve over `knots` (n = rows of points) into the clamped curve over [U[p], U[n]].
Spline clamp(int degree, const Knots& knots, const Points& points, bool closed);

} // namespace lumsk::nurbs
