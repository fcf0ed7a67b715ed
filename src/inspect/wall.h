#pragma once
#include "brep/body.h"

namespace lumsk::inspect {

struct WallSample {
  Vec3 at = Vec3::Zero();
  double mm = 0.0;
  double toRimMm = 0.0; ///< distance to the nearest edge where faces do not meet smoothly
};

/// Wall thickness of a solid along its outer normal: rays from `places` points spread over the named face inward to the
/// next face they hit, by the kernel's intersector (independent of the offset construction).
std::vector<WallSample> wallBelow(const brep::Body& b, const std::string& face, int places);

} // namespace lumsk::inspect
