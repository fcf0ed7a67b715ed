#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"

#include <functional>

namespace lumsk::nurbs {

/// Largest distance of a helix from the true one, mm, whatever `fit` is: threads and springs are measured closely.
constexpr double kHelixFitMm = 1e-5;

struct HelixOptions {
  Frame base;           ///< axis along its normal, start angle from its x
  double radiusMm = 10; ///< at the start
  double endRadiusMm = 10;
  std::function<double(double)> radiusAt; ///< instead of both: radius over the fraction of the turns, mm
  double turns = 3;
  double heightMm = 30; ///< along the axis; 0 for a flat spiral
  double startAngleDeg = 0;
  bool leftHanded = false;
  const Path* axis = nullptr; ///< a curved centre line instead of the straight axis; its length is the height
};

/// Helix, conical helix or spiral as a spline of degree 7 within `kHelixFitMm` (or `fit` where that is smaller): of
/// constant radius and straight axis on equal spans whose width follows from the error of cardinal splines on
/// exponentials (Schoenberg 1973), others fitted. Around a curved line the angle counts from its frame of least twist.
/// Fails with LM-P021 (no radius), LM-P022 (no turns), LM-P023 (neither height nor change of radius), LM-P024 (the
/// radius reaches the centre of curvature of the axis), LM-G101.
Expected<Spline> helix(const HelixOptions& options, const Context& cx);

} // namespace lumsk::nurbs
