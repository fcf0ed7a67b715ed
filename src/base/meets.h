#pragma once

#include <string>

namespace lumsk {

/// How one thing is to meet another: a skin its neighbour along an edge, a loft what lies beyond its end, a side its
/// mirror plane. Kept in files by these numbers.
enum class Meets {
  Free,          ///< nothing is asked for
  Perpendicular, ///< square to the plane of the edge; at a point: rounded
  G0,            ///< only in place
  G1,            ///< tangent to the neighbour
  G2,            ///< and bending as it does
  G3,            ///< and its bending changing as there
  Mirror,        ///< the edge lies in a mirror plane, and the skin is one smooth form with its mirror image (G3)
  Angle,         ///< leaning outwards from square by an angle
  Flat           ///< at a point: rounded without curvature
};

/// Up to which derivative across the edge something is asked for: 0 to 3.
constexpr int orderOf(Meets m) {
  switch (m) {
  case Meets::Free:
  case Meets::G0: return 0;
  case Meets::G2: return 2;
  case Meets::G3:
  case Meets::Mirror: return 3;
  default: return 1;
  }
}

/// Square to a mirror plane, or smooth with what lies beyond it.
constexpr bool atMirror(Meets m) { return m == Meets::Perpendicular || m == Meets::Mirror; }

/// As stored in recipes: "free", "perpendicular", "g0" to "g3", "angle", "flat"; `Free` for any other word.
Meets meetsNamed(const std::string& word);

} // namespace lumsk
