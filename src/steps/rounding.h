#pragma once
#include "nurbs/patch/rolling.h"
#include "steps/common.h"

namespace lumsk::steps {

// What rounding and chamfering edges share.

/// The picks of edges and faces, each with a size of its own where it has one.
recipe::Field edgesField(const std::string& what);

struct EdgeWork {
  std::string role; ///< of the new faces: "round"
  /// What is rolled along an edge of a size.
  std::function<nurbs::RoundOptions(double sizeMm)> options;
  bool kernel = false; ///< sizes are constant, and sections what the kernel knows, too
  std::string along;   ///< field of factors along the edge; they are dragged on the first edge
};

/// The edges of the field "edges" replaced, as large as "size" and their own say. Each pick is its whole run without a corner. Edges
/// that meet nowhere one by one; of groups that meet at vertices all together, by the kernel where it may, whose result is taken
/// where contacts are tangent within 0.01 degree and the ball is where it was found to be; else one after the other, larger ones
/// first. Fails as `rounded` and `roundedByKernel` do, with the edge named, and with the largest size that fits as a remedy.
Expected<recipe::Outcome> workOnEdges(const recipe::Inputs& in, const EdgeWork& work, const Context& cx);

} // namespace lumsk::steps
