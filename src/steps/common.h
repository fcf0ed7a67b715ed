#pragma once
#include "nurbs/core/path.h"
#include "recipe/step.h"

namespace lumsk::steps {

// What several steps say in the same way.

inline recipe::Field onPlaneField() {
  return recipe::picks("plane", "On plane",
                       "The plane to draw on, or a face: the plane that touches it where it was clicked; without one, the top plane.",
                       recipe::kPlaneOrFace)
      .optional()
      .atMost(1);
}

/// From the plane z = 0 onto a frame.
inline Eigen::Isometry3d onto(const Frame& f) {
  Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
  t.linear().col(0) = f.x, t.linear().col(1) = f.y, t.linear().col(2) = f.normal();
  t.translation() = f.origin;
  return t;
}

inline const Frame& topPlane() { return recipe::worldPlanes().front().second; }
inline const Frame& sidePlane() { return recipe::worldPlanes().back().second; } ///< the usual mirror plane

inline recipe::Outcome curveOutcome(nurbs::Path path, std::string summary) {
  recipe::Outcome out;
  out.outputs.push_back({"", std::make_shared<const nurbs::Path>(std::move(path)), ""});
  out.summary = std::move(summary);
  return out;
}

/// Warns of a curve that crosses itself.
inline void noteSelfCrossing(recipe::Outcome& out, const nurbs::Path& path, const Tolerances& tol) {
  const auto at = nurbs::selfCrossings(path, tol.point);
  if (at.empty()) return;
  Problem note = problem("LM-G110", "the curve crosses itself").tryThis("move its points apart");
  note.where = at;
  out.notes.push_back(std::move(note));
}

} // namespace lumsk::steps
