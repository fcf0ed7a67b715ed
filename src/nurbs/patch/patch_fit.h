#pragma once
#include "base/meets.h"
#include "base/context.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/joins/neighbour.h"

#include <array>

namespace lumsk::nurbs {

/// One of the four sides of a patch over [0, 1]^2: v = 0, u = 1, v = 1, u = 0; it runs as u or v do.
struct PatchSide {
  const Path* path = nullptr;        ///< none: a pole, or free
  bool free = false;                 ///< nothing is asked for on it
  const ArcLength* length = nullptr; ///< of the path
  bool reversed = false;
  std::array<Vec3, 2> ends; ///< where it starts and ends, near the path's own ends
  Meets meets = Meets::G0;
  Neighbour neighbour;       ///< of `G1` to `G3`
  Vec3 plane = Vec3::Zero(); ///< unit normal of the mirror plane
  double tension = 1.0;      ///< how far the patch goes on as the neighbour does; 1: as is most even
};

/// A corner at which what the two sides ask for cannot both be had.
struct PatchCorner {
  int side = 0; ///< the corner lies at the start of side 0, 1, end of side 2, 3: around from (0, 0)
  Vec3 at = Vec3::Zero();
  double angleDeg = 0.0;  ///< between the tangent planes
  double curvature = 0.0; ///< relative difference of normal curvatures
  double zoneMm = 0.0;    ///< how far along the sides conditions are not met in full
};

struct PatchFitOptions {
  std::vector<const Path*> guides; ///< curves inside that the patch passes through
  double zoneShare = 0.1;          ///< of a side, at corners that disagree
};

struct PatchFitted {
  Surface surface;
  std::array<double, 4> gapMm{};
  std::array<SkinJoin, 4> joins; ///< at places between the samples, outside of zones
  std::vector<PatchCorner> corners;
  static constexpr double kPoleZone = 0.06; ///< of a side beside a pole: curvature fades out, joins are not measured
};

/// One degree-5 spline that passes through its sides, parameterised by their arc lengths, and meets what lies beyond
/// them: least squares over places on the sides, with conditions that are linear in the patch's derivatives, taken
/// again from the previous result for curvature (Gauss-Newton), beside a little of the integral of the squared third
/// derivatives; knots are refined until what was asked for holds between the places too. At corners where the sides
/// disagree tangency outranks curvature, whose rows fade out within a zone (Gregory 1974 on such corners).
/// Fails with LM-H010 where the sides do not determine it, LM-L013 where one does not lie on its neighbour.
Expected<PatchFitted> fitPatch(const std::array<PatchSide, 4>& sides, const PatchFitOptions& options,
                               const Context& cx);

} // namespace lumsk::nurbs
