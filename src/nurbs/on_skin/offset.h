#pragma once
#include "nurbs/fit/surface_fit.h"

#include <memory>
#include <optional>

namespace lumsk::nurbs {

/// The four sides of a surface's domain.
enum Side { FirstU = 0, LastU = 1, FirstV = 2, LastV = 3 };

/// A neighbour across a kink: the offset goes as far as the offset of the neighbour, both extended where they must be.
struct OffsetNeighbour {
  std::shared_ptr<const Surface> surface;
  double distanceMm = 1.0; ///< of its offset, along its own normal
};

struct OffsetOptions {
  double distanceMm = 1.0;                             ///< along the normal; negative: against it; nought only cuts
  std::array<std::optional<Frame>, 4> flat;            ///< sides whose offset edge is to lie in this plane
  std::array<std::optional<OffsetNeighbour>, 4> meets; ///< sides whose offset edge is to lie on a neighbour's offset
  bool bendChecked = false; ///< only a part of the surface counts, and the caller has looked at its radii
  bool lean = false;        ///< knots only where they are needed: fewer points, and smooth over the surface's own knots
};

/// Tightest radius that an offset by `distanceMm` meets: the smallest concave radius on that side, mm, and its place.
struct ConcaveRadius {
  double radiusMm = 1e300;
  Vec3 at = Vec3::Zero();
  double u = 0.0, v = 0.0;
};
ConcaveRadius tightestRadius(const Surface& s, bool alongNormal);

struct OffsetResult {
  Surface surface;
  double deviationMm = 0.0;    ///< from the true offset
  double tightestMm = 1e300;   ///< smallest concave radius of the surface on that side
};

/// The surface at a constant distance as one spline within `fit` (exact offset sampled on the extended surface).
/// Sides with a plane are cut or extended to it, so that a planar rim stays planar. Fails with LM-T001 where the
/// distance reaches the concave radius (place and radius given), LM-T002 where a side does not reach its plane, LM-T006
/// where it would fold on the way to it, LM-T007 where it does not meet the neighbour's offset.
Expected<OffsetResult> offsetSurface(const Surface& s, const OffsetOptions& options, const Context& cx);

/// The part of a surface on one side of a plane as a whole surface again, within `fit`, where the plane cuts every line
/// of one direction just once and not too slantingly; nothing otherwise. `above`: the side its normal points to.
/// `cutSide` gets the side that lies in the plane.
std::optional<OffsetResult> cutAtPlane(const Surface& s, const Frame& plane, bool above, const Context& cx,
                                       Side& cutSide);

} // namespace lumsk::nurbs
