#pragma once
#include "brep/thicken.h"

namespace lumsk::brep {

struct OffsetBodyOptions {
  double distanceMm = 1.0;     ///< along the outside normals; negative: against them; nought copies
  std::vector<int> faces;      ///< only these, by their order; none: all
  std::string step;            ///< id of the step, for names: "STEP.offset(face)"
  std::vector<ThickenZone> zones = {}; ///< regions with a distance of their own, in place of a thickness
};

/// The body at a distance: a skin, or a solid where all its faces are offset. Trimmed and foreign faces keep their
/// borders; at kinks the offsets are carried on and meet in a sharp edge. `Thickened::deviationMm` and `tightestRadiusMm`
/// are measured. Fails with LM-T001 (the distance reaches a concave radius; place and radius), LM-T003, LM-T005 (it runs
/// into another part), LM-T010 to LM-T013 (zones), LM-T007 (nothing is left between kinks, or they are too sharp), LM-C012, LM-K002.
Expected<Thickened> offsetBody(const Body& body, const OffsetBodyOptions& options, const Context& cx);

/// `thicken` for skins with trimmed faces: both layers as above, planar openings kept flat, rims ruled between them.
Expected<Thickened> thickenLayers(const Body& skin, const ThickenOptions& options, const Context& cx);

} // namespace lumsk::brep
