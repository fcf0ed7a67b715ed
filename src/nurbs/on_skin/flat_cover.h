#pragma once
#include "base/context.h"
#include "nurbs/core/surface.h"

namespace lumsk::nurbs {

/// A surface over a plane: S(x, y) = frame.at(x, y, z(x, y)), x and y in mm being its parameters.
struct FlatCover {
  Surface surface;
  double deviationMm = 0.0; ///< of the ring from the surface, along the plane's normal
};

/// The flattest surface through a ring of points that is seen once from the frame's normal: a spline height of least
/// Dirichlet energy (a soap film without thickness, to first order) that meets the ring by least squares, refined until
/// it does within `fit` (Hoschek & Lasser 1993, 4.4). `ring` n x 3, dense, closed, first point not repeated.
/// Fails with LM-V003 when the ring cannot be met within `point`.
Expected<FlatCover> flatCover(const Points& ring, const Frame& frame, const Context& cx);

} // namespace lumsk::nurbs
