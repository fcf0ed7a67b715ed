#pragma once
#include <vector>

namespace lumsk::drawing {

/// What an equation says of its variables, which are named in this order. Every residual is in mm: angles are times a
/// length, curvatures times a length squared, so that one tolerance serves all.
enum class Form {
  Number,        ///< one variable is the value
  Apart,         ///< second less first variable is the value
  Distance,      ///< between two points
  FromLine,      ///< point; line: its distance on the side `sign`
  OnRound,       ///< point, centre, radius
  SameLength,    ///< two pairs of points
  Angle,         ///< two pairs of points: from the first direction to the second, radians
  AngleToLevel,  ///< a pair of points: radians
  LineOnRound,   ///< line; centre, radius: touches on the side `sign`
  RoundOnRound,  ///< centre, radius, centre, radius: touch with factors ka, kb of the radii
  CurvatureOfTwo,  ///< three end points of a spline, three of another; factors ka, kb
  CurvatureOfOne,  ///< three end points of a spline and a radius with factor kb (0: flat)
  EndRadius,       ///< three end points of a spline: its radius there is the value
  Middle,          ///< point; two points: 2 equations
  Mirrored,        ///< two points; line: 2 equations
  SameStep,        ///< two pairs of points: from one to the other by the same way: 2 equations
  SameTurn,        ///< two pairs of points and a centre: turned by the same angle: 2 equations
  Turned,          ///< two points and a centre: the second is the first turned by the value: 2 equations
  ArcLength,       ///< centre, start, end, radius
  OnEllipse,       ///< point, centre, end of the first half axis, second half axis
  OnConic,         ///< point; start, corner and end of the conic: `ka` is (2 rho / (1 - rho))^2
  LineOnEllipse,   ///< line; centre, end of the first half axis, second half axis: touches on the side `sign`
  OnSpline,        ///< point, place on it in mm, then its control points: 2 equations; of closed ones (`kb` -1) it goes round
  SplineLength     ///< its control points
};

/// A spline's control points and how they make it.
struct SplineForm {
  int degree = 3;
  std::vector<double> knots; ///< clamped, from 0 to 1
  std::vector<int> controls; ///< variables: x and y of each in turn
};

/// An equation, or two of a kind.
struct Row {
  Form form = Form::Number;
  std::vector<int> of; ///< variables
  double value = 0, sign = 1, scale = 1, ka = 1, kb = 1;
  double turns = 0;   ///< of arc lengths: the angle it had last, radians
  int spline = -1;    ///< among the splines
  int relation = -1;  ///< that asks for it; -1: a part of what entities are
};

int equationsOf(Form f); ///< 1 or 2

/// Residuals (at most 2) of a row at the variables `p`, and, unless null, their derivatives by the row's own variables,
/// one equation after the other.
void evaluate(const Row& row, const std::vector<SplineForm>& splines, const std::vector<double>& p, double* residual,
              double* jacobian);

/// Factor of the curvature formula `K cross(a, b) / |a|^3` at an end of a clamped spline, with a and b the first two
/// legs of its polygon from there (Piegl & Tiller 1997, 5.2).
double endCurvatureFactor(const SplineForm& s, bool atEnd);

} // namespace lumsk::drawing
