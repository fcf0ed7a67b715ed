#pragma once
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_strips.h"

namespace lumsk::nurbs {

/// Rows that a skin runs through across a loft, with derivatives at both ends; all strips side by side.
struct AcrossGoal {
  Rows rows, start, finish;
};

/// What a relaxed skin is compared with.
struct RelaxedGoal {
  const LoftPlaces& places;
  const std::vector<LoftStrip>& strips;
  std::vector<Frame> frames; ///< in which each section is seen; empty: the world's
  LengthTolerance mm;
  std::optional<AngleTolerance> turn;
};
struct RelaxedRows {
  AcrossRows rows;
  double deviationMm = 0, turnDeg = 0; ///< from the sections
};

/// The most even rows that leave the sections by no more than allowed, by bisection over the power of ten of the
/// evenness (Reinsch 1967). Fails with LM-L019 where there are none.
Expected<RelaxedRows> relaxedRows(const LoftAcross& across, const AcrossGoal& through, const RelaxedGoal& goal);

} // namespace lumsk::nurbs
