#pragma once
#include "base/vec.h"

namespace lumsk::nurbs {

/// A place of an edge and the direction there out of what lies beside it, unit.
struct WayOut {
  Vec3 at = Vec3::Zero(), away = Vec3::Zero();
};

} // namespace lumsk::nurbs
