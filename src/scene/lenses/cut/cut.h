#pragma once
#include "base/vec.h"

namespace lumsk::scene {

struct CutLook {
  static constexpr const char* kLens = "cut";
  Frame plane{Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()};
  double offsetMm = 0;
  int count = 1;
  double spacingMm = 10;
  bool combs = false, away = true; ///< `away`: what lies before the plane is taken out of sight
  Frame at(int i) const {
    Frame f = plane;
    f.origin += f.normal() * (offsetMm + i * spacingMm);
    return f;
  }
};

} // namespace lumsk::scene
