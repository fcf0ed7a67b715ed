#pragma once
#include "base/vec.h"

namespace lumsk::scene {

struct StripeLook {
  static constexpr const char* kLens = "stripes";
  enum class Room { Upright, Level, Tunnel } room = Room::Upright;
  bool onPart = false; ///< the room stands with the part; else it turns with the eye
  double count = 24;   ///< light tubes in a full turn
  double width = 0.5;  ///< bright part of a stripe
  double softness = 0.06;
};

/// The brightness (0 dark, 1 light) of a stripe where light comes from a direction of the room, without the widening
/// that keeps pixels smooth: what the shader computes.
double stripeAt(const StripeLook& look, const Vec3& fromRoom);

/// A smooth wave of bands: 1 in the bright part, as in the shader where pixels are small.
double bandAt(double a, double width, double softness);

} // namespace lumsk::scene
