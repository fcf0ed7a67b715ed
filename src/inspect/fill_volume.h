#pragma once
#include "base/context.h"
#include "brep/body.h"

#include <optional>

namespace lumsk::inspect {

struct FillVolume {
  double volumeMm3 = 0.0;
  double levelMm = 0.0;          ///< z of the surface of what is filled in
  double depthMm = 0.0;          ///< from there to the deepest place
  Vec3 surfaceAt = Vec3::Zero(); ///< a place of the brim
};

/// What a vessel holds up to a level (z, mm; without one, its highest place). The body is cut at the level; its faces
/// below fall apart into the outside and the hollows that reach the level, whose volumes follow from their faces
/// (divergence theorem). Fails with LM-Q001 (it holds nothing up to there: the hollow is open below the level, or
/// there is none), LM-Q002 (a skin that is open below the level; places given), as `brep::trimByPlane` does.
Expected<FillVolume> fillVolume(const brep::Body& b, std::optional<double> levelMm, const Context& cx);

} // namespace lumsk::inspect
