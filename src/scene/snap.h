#pragma once
#include "scene/picker.h"

#include <optional>

namespace lumsk::scene {

/// A place that a point takes by itself when it comes near.
struct Snap {
  Vec3 at = Vec3::Zero();
  std::string what; ///< "end of Side line"; empty where only planes are met that are looked at squarely
};

struct SnapRequest {
  double x = 0, y = 0;        ///< pixels
  Vec3 loose;                 ///< where the point would be by itself
  std::optional<Frame> plane; ///< it must lie in: what is snapped to is taken square onto it
  std::string step;           ///< the point's own: not snapped to
  bool planes = true;         ///< whether planes count
};

/// The nearest of: ends, joints and centres of curves, vertices of bodies, corners of ghosts, points; crossings and
/// middles of curves; curves and edges, ghosts' too; faces of ghosts; planes, several at once. Nothing in reach: none.
std::optional<Snap> snapAt(const Scene& d, const Camera& camera, const SnapRequest& r);

} // namespace lumsk::scene
