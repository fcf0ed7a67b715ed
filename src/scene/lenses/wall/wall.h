#pragma once

namespace lumsk::scene {

struct WallLook {
  static constexpr const char* kLens = "wall";
  double thinMm = 1.2, thickMm = 4;
};

} // namespace lumsk::scene
