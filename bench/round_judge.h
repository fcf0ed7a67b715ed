#pragma once
#include "brep/skin.h"
#include "inspect/joins.h"

#include <algorithm>
#include <functional>
#include <string>

namespace lumsk::bench {

/// What is wrong with a solid that was rounded, whatever rolled: valid and closed, no rougher, new faces tangent to those beside them
/// within 0.01 degree; empty: nothing. `isNew`: by the name of a face or an edge. `tangent`: false for chamfers.
inline std::string unsound(const brep::Body& before, const brep::Body& made, const std::function<bool(const std::string&)>& isNew, bool tangent) {
  constexpr double kSharpDeg = 5, kContactDeg = 0.01;
  if (!made.solid() || !brep::checkValid(made.shape)) return "no valid solid";
  if (const double t = brep::largestTolerance(made.shape); t > std::max(0.01, 1.5 * brep::largestTolerance(before.shape))) return "rough " + std::to_string(t);
  for (const auto& j : inspect::joins(made, {}))
    if (tangent && isNew(j.edge) && j.measured && j.angleDeg < kSharpDeg && j.angleDeg > kContactDeg) return "contact " + std::to_string(j.angleDeg) + " at " + j.edge;
  return "";
}

} // namespace lumsk::bench
