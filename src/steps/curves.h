#pragma once
#include "nurbs/curves/curve_refit.h"
#include "steps/common.h"

namespace lumsk::steps {

// What the steps that make curves from curves share.

inline const recipe::CurvePtr& curveOf(const recipe::Picked& p) { return std::get<recipe::CurvePtr>(p.object); }

/// A point itself, or the middle of a curve: where problems with a pick are shown.
Vec3 placeOf(const recipe::Picked& p);

std::vector<nurbs::Path> curvesOf(const recipe::Inputs& in, const std::string& key);

/// Several curves as outputs of one step: the first without a name, then "2", "3", ...
recipe::Outcome curvesOutcome(std::vector<nurbs::Path> curves, std::string summary);

/// "210 mm - degree 5 - 14 points"
std::string curveSummary(const nurbs::Path& p);

/// A switch for hiding the curves that a step was made from, and what it does: used up, they can still be edited.
recipe::Field hideField(const std::string& what);
void hidePicked(const recipe::Inputs& in, const std::string& key, recipe::Outcome& out);

/// A note that a result is off by more than the eye would guess: LM-P101 with place and figure, where it is above
/// `fit`.
void noteDeviation(recipe::Outcome& out, double mm, const Vec3& at, const Tolerances& tol);

/// Which end of a curve: the one whose point was picked, or the one nearest to a place.
bool nearerEnd(const nurbs::Path& p, const Vec3& to);

} // namespace lumsk::steps
