#pragma once
#include "nurbs/core/path.h"

#include <vector>

namespace lumsk::nurbs {

/// Whether a closed curve goes round a place, seen along its plane's normal.
bool goesRound(const Path& closed, const Vec3& place);

/// Closed curves in one plane that lie within one another: which are borders of regions, and which are openings in them.
struct Nesting {
  std::vector<bool> opening;           ///< of every curve: it is one
  std::vector<std::vector<int>> holes; ///< of every border: the openings in it
};
/// Curves that are open, or do not lie in the plane of another one, are by themselves.
Nesting nestingOf(const std::vector<const Path*>& curves, LengthTolerance point);

} // namespace lumsk::nurbs
