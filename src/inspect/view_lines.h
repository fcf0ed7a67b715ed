#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/core/path.h"

namespace lumsk::inspect {

/// A line of a view, in space.
struct ViewLine {
  nurbs::Path path;
  bool hidden = false; ///< something stands before it
};

/// What a draughtsman draws of bodies that are seen from far away: edges that are open or turn by more than the tolerance
/// of smooth edges, and where faces turn out of sight, cut where they go behind something. What is seen is told by rays
/// against meshes (Appel 1967), so a line may begin a thousandth of the forms' size beside where it comes into sight;
/// pieces shorter than that are left to their neighbours. Silhouettes are polylines whose chords keep within a ten-thousandth of the size.
/// `towardsEye` has any length but nought. Fails with LM-K001, and when cancelled.
Expected<std::vector<ViewLine>> viewLines(const std::vector<brep::BodyPtr>& bodies, const Vec3& towardsEye,
                                          const Context& cx);

} // namespace lumsk::inspect
