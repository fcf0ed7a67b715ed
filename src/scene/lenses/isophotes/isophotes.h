#pragma once
#include "base/vec.h"

namespace lumsk::scene {

struct IsophoteLook {
  static constexpr const char* kLens = "isophotes";
  Vec3 direction = Vec3::UnitZ();
  double count = 18; ///< bands from 0 to 180 degrees
  double width = 0.5;
};

/// The brightness (0 dark, 1 light) where a surface has a normal: what the shader computes where pixels are small.
double isophoteAt(const IsophoteLook& look, const Vec3& normal);

} // namespace lumsk::scene
