#pragma once
#include <algorithm>

namespace lumsk::nurbs {

/// 0 to 1, with two derivatives nought at both ends.
inline double quinticStep(double x) {
  x = std::clamp(x, 0.0, 1.0);
  return x * x * x * (10 + x * (6 * x - 15));
}

} // namespace lumsk::nurbs
