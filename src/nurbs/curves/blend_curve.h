#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"

#include <optional>

namespace lumsk::nurbs {

/// How closely one curve goes on in another: 0 touching, 1 tangent, 2 equal curvature, 3 equal rate of curvature.
constexpr int kMostContinuity = 3;

/// The end of a curve that a blend curve leaves or reaches: derivatives by arc length, in the direction of the blend.
struct BlendEnd {
  Vec3 at = Vec3::Zero();
  Vec3 tangent = Vec3::UnitX(); ///< unit
  Vec3 second = Vec3::Zero();   ///< curvature vector, 1/mm
  Vec3 third = Vec3::Zero();    ///< derivative of the curvature vector, 1/mm^2
  int continuity = 2;           ///< 0..3
  double pull = 1.0;            ///< of the fair magnitude, 0.05..10
  double bend = 0.0;            ///< added to the fair second magnitude, in units of the first, -5..5
};

/// Derivatives with respect to arc length from those with respect to any parameter; nothing where the speed is nought.
std::optional<BlendEnd> blendEnd(const CurveDerivatives& d, bool reversed);

/// The magnitudes of a blend's derivatives: with s the arc length of the neighbour, s' = first, s'' = second and
/// s''' = third at the end.
struct BlendMagnitudes {
  double first = 0.0, second = 0.0, third = 0.0;
};

struct BlendCurve {
  Spline curve; ///< one span, over [0, 1]
  BlendMagnitudes start, end;
  double energy = 0.0; ///< length^3 x integral of the squared rate of curvature
};

/// One polynomial span that meets both ends as asked: all conditions hold exactly, and the magnitudes of the
/// derivatives are those of least variation of curvature (Moreton & Sequin 1992, in the form that does not depend on
/// size), then scaled as the person asks. Degree: one less than the number of conditions, 1..7.
/// Fails with LM-P011 (the ends coincide), LM-P012 (a pull or bend out of range).
Expected<BlendCurve> blendCurve(const BlendEnd& start, const BlendEnd& end, const Context& cx);
/// The same with all magnitudes given.
Spline blendWith(const BlendEnd& start, const BlendEnd& end, const BlendMagnitudes& m0, const BlendMagnitudes& m1);
/// Length^3 x integral over the length of |dk/ds|^2, with k the curvature vector brought across the tangent: nought for
/// lines, circles and helices of no pitch.
double curvatureVariation(const Spline& c);

} // namespace lumsk::nurbs
