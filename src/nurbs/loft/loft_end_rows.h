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

} // namespace lumsk::nurbs
