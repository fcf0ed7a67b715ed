#pragma once
#include "base/context.h"
#include "nurbs/correspond.h"
#include "nurbs/side_conditions.h"

namespace lumsk::nurbs {

/// How a skin leaves its first or last section. `Perpendicular`: square to the section's plane; at a point: rounded,
/// with the plane of the neighbouring section as direction of its tangent plane. `G3`: the section lies in a mirror
/// plane and the skin is one smooth form with its mirror image.
enum class LoftEnd { Free, Perpendicular, G3 };

struct LoftOptions {
  int degree = 3; ///< across the sections, 1..7; lowered when there are too few sections
  LoftEnd start = LoftEnd::Free, end = LoftEnd::Free;
  double startPull = 1.0, endPull = 1.0;                     ///< strength of a perpendicular end, 0.05..10
  SideMeets left = SideMeets::Free, right = SideMeets::Free; ///< where open sections start and end
  std::optional<Frame> mirror; ///< plane of G3 ends and of sides; without one, the section's or the side's own plane
};

struct LoftResult {
  std::vector<Surface> strips; ///< one per stretch between corners; u along the sections, v across them
  Alignment alignment;
  std::vector<double> parameters; ///< v of every section
  double sectionDeviationMm = 0.0;
  int degree = 3;              ///< degree used across
  std::optional<Frame> mirror; ///< a plane that sides or G3 ends meet
};

/// Skin through sections in order (skinning: Woodward 1988; Piegl & Tiller 1997, 10.3) on one lean knot vector for
/// all of them (see `fitLean`), interpolated across at averaged chord parameters. End conditions are derivative rows.
/// Fails as `alignSections` and `fitLean` do, with LM-L004 where neighbouring sections coincide, LM-L005 where an end
/// is to be perpendicular and its section is not planar, LM-L006 for a pull out of range, LM-L008 where sections do not
/// meet a mirror plane as their side asks, LM-L009 for a side or a G3 end without a plane.
Expected<LoftResult> loft(const std::vector<Section>& sections, const LoftOptions& options, const Context& cx);

} // namespace lumsk::nurbs
