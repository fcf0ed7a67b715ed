#pragma once
#include "base/context.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/network/network_sort.h"
#include "nurbs/patch/patch_fit.h"
#include "nurbs/joins/side_conditions.h"

namespace lumsk::nurbs {

struct NetworkOptions {
  LengthTolerance largestGap{0.01}; ///< curves that miss one another by at most this are pulled together
  std::array<Meets, 4> sides{}; ///< by `Side`: FirstU is the first column, FirstV the first row
  /// By `Side`, 1..3: G1 to G3 with what the curve along it lies on; 0: as `sides` says. Where both ask for G3, it is
  /// a mirror plane unless there is a neighbour.
  std::array<int, 4> flows{};
  /// What a curve lies on, by its number; nothing where it lies on nothing.
  std::function<Expected<Neighbour>(int curve)> neighbour;
  /// How far the skin may leave the curves between its sides, to be as even as can be; 0: passes through them. Around
  /// closed curves it is made even by its control points, with what its sides ask for.
  LengthTolerance follow{0.0};
  std::optional<Frame> mirror;  ///< plane of the sides' conditions; without one, each side's own plane
  AngleTolerance poleFlat{0.1}; ///< curves that meet in a pole within this of one plane get one normal there
};

struct NetworkPatch {
  Surface surface;                       ///< u along the rows, v along the columns
  int firstColumn = 0, firstRow = 0;     ///< of those that it goes through
  std::vector<double> columnsAt, rowsAt; ///< their parameters
};

/// A curve that ends within the network, as it was carried on.
struct NetworkCarried {
  int curve = 0;
  Path path;
  std::vector<Vec3> from; ///< the ends
};

struct NetworkResult {
  std::vector<NetworkPatch> patches; ///< one, or more where corners of curves make edges
  SortedNetwork sorted;
  Vec3 deviationAt = Vec3::Zero(), pointedAt = Vec3::Zero();
  double deviationMm = 0.0; ///< of the skin from the curves; at least half the largest gap where they miss one another
  std::array<SkinJoin, 4> joins;    ///< of sides that flow on, by `Side`
  std::vector<PatchCorner> corners; ///< of a skin that follows loosely: where its neighbours disagree
  std::optional<Frame> mirror;      ///< a plane that sides meet
  bool pointedPole = false;         ///< a pole whose curves do not share a tangent plane
  bool cornered = false;            ///< there are edges
  std::vector<NetworkCarried> carried;
};

/// The skin through two families of curves: the lofts of both minus the tensor interpolant of their crossings (Boolean
/// sum; Gordon 1969), on one lean knot vector a direction. Every curve gets one monotone parameter that has its
/// crossings at common values: its arc length, or its own where these agree better; curves that miss one another are
/// bent to their middles. Sides at a mirror plane: the network is continued by its mirror image and cut at the plane.
/// Sides that flow on into a neighbour are brought to do so as those of lofts are (`flowingOver`). Poles get one
/// tangent plane by a local correction (`flatPole`). Where a curve has a corner at a crossing the skin has an edge
/// along the other family's curve. Curves that cross only some of the other family are carried on along the skin
/// through the others (`carriedOn`). Fails as `sortNetwork` and `fitLean` do, with LM-N008 (a corner between
/// crossings), LM-N010 (a curve does not meet the mirror plane as asked), LM-N011 (a side without a plane), LM-N013 (a
/// side is to flow on, but lies on nothing), LM-N015, LM-G011, and
/// as `flowingOver` does.
Expected<NetworkResult> network(const std::vector<NetworkCurve>& curves, const NetworkOptions& options,
                                const Context& cx);

} // namespace lumsk::nurbs
