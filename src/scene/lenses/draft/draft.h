#pragma once
#include "base/vec.h"

namespace lumsk::scene {

struct DraftLook {
  static constexpr const char* kLens = "draft";
  Vec3 pull = Vec3::UnitZ();
  double wantedDeg = 3;
  bool bothHalves = true; ///< the other half of the mould is pulled the other way
};

} // namespace lumsk::scene
