#pragma once
#include "base/context.h"
#include "brep/body.h"

#include <optional>

namespace lumsk::inspect {

/// How near skins come to bodies.
struct Clearance {
  double mm = 0.0;                             ///< nought where they touch or cross, or lie within a solid
  Vec3 from = Vec3::Zero(), to = Vec3::Zero(); ///< place of the skins, and of the body
  int body = -1;                               ///< which one
  bool entered = false;                        ///< a skin lies within a solid there
};

/// Of places all over the skins the ones nearest to the bodies' meshes, polished on the surfaces and edges themselves
/// (alternating projections). Nothing without bodies. Fails as reading their faces does.
Expected<std::optional<Clearance>> clearanceOf(const std::vector<nurbs::Surface>& skins,
                                               const std::vector<brep::BodyPtr>& bodies, const Context& cx);

} // namespace lumsk::inspect
