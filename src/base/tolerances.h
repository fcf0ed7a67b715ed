#pragma once
#include "base/problem.h"

namespace lumsk {

struct LengthTolerance {
  double mm;
};
struct AngleTolerance {
  double deg;
  double rad() const { return radFromDeg(deg); }
};
/// Relative: 0.01 is one percent.
struct CurvatureTolerance {
  double relative;
};

/// What counts as equal. Travels from the recipe to every construction.
struct Tolerances {
  LengthTolerance point{0.001};       ///< two points are one
  LengthTolerance fit{0.0005};        ///< a construction may deviate from its inputs by this much
  AngleTolerance angle{0.01};         ///< normals agree
  CurvatureTolerance curvature{0.01}; ///< normal curvature across an edge agrees
  AngleTolerance smoothEdge{5.0};     ///< an edge without a stated continuity counts as meant smooth below this
  AngleTolerance corner{1.0};         ///< a curve turns by more than this at a corner
};

/// Refuses values that no construction can work with (not finite, not positive, absurdly small or large).
Expected<void> validate(const Tolerances& t);

} // namespace lumsk
