#pragma once
#include "base/vec.h"

#include <vector>

namespace lumsk::scene {

/// A grid in the level of the origin, or lower where a form reaches below that, so that sizes are felt: steps of 1, 5,
/// 10, 50 ... mm as the zoom allows.
struct Floor {
  double stepMm = 0; ///< between neighbouring lines; 0: none
  Vec3 low = Vec3::Zero(), high = Vec3::Zero();
  bool operator==(const Floor& o) const { return stepMm == o.stepMm && low == o.low && high == o.high; }

  /// Under a form in this box. `mmPerPixel` in its middle. Its borders lie on whole steps.
  static Floor under(const Vec3& low, const Vec3& high, double mmPerPixel);
  /// Every tenth line is strong.
  std::vector<std::vector<Vec3>> lines(bool strong) const;
};

} // namespace lumsk::scene
