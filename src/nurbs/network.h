#pragma once
#include "base/context.h"
#include "nurbs/network_sort.h"
#include "nurbs/side_conditions.h"

namespace lumsk::nurbs {

struct NetworkOptions {
  LengthTolerance largestGap{0.01}; ///< curves that miss one another by at most this are pulled together
  std::array<SideMeets, 4> sides{}; ///< by `Side`: FirstU is the first column, FirstV the first row
  std::optional<Frame> mirror;      ///< plane of the sides' conditions; without one, each side's own plane
  AngleTolerance poleFlat{0.1};     ///< curves that meet in a pole within this of one plane get one normal there
};

struct NetworkPatch {
  Surface surface;                       ///< u along the rows, v along the columns
  int firstColumn = 0, firstRow = 0;     ///< of those that it goes through
  std::vector<double> columnsAt, rowsAt; ///< their parameters
};

struct NetworkResult {
  std::vector<NetworkPatch> patches; ///< one, or more where corners of curves make edges
  SortedNetwork sorted;
  Vec3 deviationAt = Vec3::Zero(), pointedAt = Vec3::Zero();
  double deviationMm = 0.0; ///< of the skin from the curves; at least half the largest gap where they miss one another
  std::optional<Frame> mirror; ///< a plane that sides meet
  bool pointedPole = false;    ///< a pole whose curves do not share a tangent plane
  bool cornered = false;       ///< there are edges
};

/// The skin through two families of curves: the lofts of both minus the tensor interpolant of their crossings (Boolean
/// sum; Gordon 1969), on one lean knot vector a direction. Every curve gets one monotone parameter that has its
/// crossings at common values: its arc length, or its own where these agree better; curves that miss one another are
/// bent to their middles. Sides at a mirror plane: the network is continued by its mirror image and cut at the plane.
/// Poles get one tangent plane by a local correction (`flatPole`). Where a curve has a corner at a crossing the skin
/// has an edge along the other family's curve. Fails as `sortNetwork` and `fitLean` do, with LM-N008 (a corner between
/// crossings), LM-N010 (a curve does not meet the mirror plane as asked), LM-N011 (a side without a plane), LM-G011.
Expected<NetworkResult> network(const std::vector<NetworkCurve>& curves, const NetworkOptions& options,
                                const Context& cx);

} // namespace lumsk::nurbs
