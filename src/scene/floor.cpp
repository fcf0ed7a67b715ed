#include "scene/floor.h"

#include <algorithm>
#include <cmath>

namespace lumsk::scene {

namespace {

constexpr double kNearestPixels = 11; ///< neighbouring lines
constexpr double kBeyond = 0.6;       ///< of the form's size, to every side
constexpr int kMostSteps = 120;       ///< from side to side

} // namespace

Floor Floor::under(const Vec3& low, const Vec3& high, double mmPerPixel) {
  Floor f;
  if (!(mmPerPixel > 0 && mmPerPixel < 1e5) || !low.allFinite() || !high.allFinite()) return f;
  // 1, 5, 10, 50, 100 ... and below for small forms.
  double step = 0.1;
  for (int k = 0; step < kNearestPixels * mmPerPixel; ++k) step *= k % 2 ? 2 : 5;
  const Vec2 middle = 0.5 * (low + high).head<2>();
  double half = (0.5 + kBeyond) * std::max({high.x() - low.x(), high.y() - low.y(), 0.5 * (high.z() - low.z())});
  half = std::clamp(half, 10 * step, 0.5 * kMostSteps * step);
  const double whole = 10 * step;
  for (int k = 0; k < 2; ++k) {
    f.low[k] = std::floor((middle[k] - half) / whole) * whole;
    f.high[k] = std::ceil((middle[k] + half) / whole) * whole;
  }
  f.low.z() = f.high.z() = std::min(0.0, std::floor(low.z() / step + 1e-6) * step);
  f.stepMm = step;
  return f;
}

std::vector<std::vector<Vec3>> Floor::lines(bool strong) const {
  std::vector<std::vector<Vec3>> out;
  for (int k = 0; k < 2 && stepMm > 0; ++k) {
    const int first = int(std::lround(low[k] / stepMm)), last = int(std::lround(high[k] / stepMm));
    for (int i = first; i <= last; ++i) {
      if ((i % 10 == 0) != strong) continue;
      Vec3 a = low, b = high;
      a[k] = b[k] = i * stepMm;
      out.push_back({a, b});
    }
  }
  return out;
}

} // namespace lumsk::scene
