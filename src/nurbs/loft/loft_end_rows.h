#pragma once
#include "nurbs/loft/guide_run.h"
#include "nurbs/loft/loft_ends.h"
#include "nurbs/loft/loft_strips.h"

namespace lumsk::nurbs {

/// A loft whose sections are fitted and placed, as its ends need to know it.
struct LeavingLoft {
  const LoftPlaces& places;
  const LoftOptions& options;
  const std::vector<LoftStrip>& strips;
  const std::vector<double>& parameters; ///< of the sections across
  const LoftEnds& ends;
  const GuideSpread& spread;
  const GuideRun* run; ///< none without guides
  const Tolerances& tolerances;
};

/// Derivative rows of strip k at an end, of first order and on; none when it is free. `e` 0: first, 1: last. Fails with
/// LM-L005, LM-L026 (a guide does not leave a point in its tangent plane).
Expected<Rows> endRows(const LeavingLoft& loft, size_t k, int e);

/// Rows that are carried, in own coordinates, so changed that the skin leaves an end with the wanted derivatives: the
/// more the nearer to the end, nothing beyond its reach (in parameters; one a column of control points).
AcrossRows leavingAs(const AcrossRows& rows, const Rows& wanted, const CarriedWay& way, int e,
                     const std::vector<double>& reach);

/// How far from an end that leaves as it has to what is carried comes back to its own way: in parameters, one a column.
/// `rows`: of all sections; `speed`: by the parameter, of the way.
std::vector<double> carriedReach(const LeavingLoft& loft, int e, const Rows& rows, double speed);

/// Between the sections that were given, which are left and reached level to second order; beyond them as they are.
/// `parameters` of all sections, those that are only carried on among them.
Expected<AcrossRows> levelOutside(const Rows& local, const std::vector<double>& parameters, const std::array<bool, 2>& carriedOn,
                                  int degree);

/// A skin whose end is made to leave as its derivative rows say; sections, at the parameters `keep`, stay. `carried`: only
/// what its fit has left over is to be put right, near the end.
Surface withEnd(const Surface& s, Side side, const Rows& wanted, const std::vector<double>& keep, bool carried);

} // namespace lumsk::nurbs
