#pragma once
#include "base/meets.h"
#include "nurbs/patch/edge_ribbon.h"

namespace lumsk::nurbs {

/// A chain of edges that a blend leaves or reaches.
struct BlendSide {
  Path path; ///< open or closed, with corners where it has some
  Meets meets = Meets::G2;
  /// What lies beside some places of the path, all between two of its corners.
  std::function<Neighbour(const std::vector<Vec3>& places)> neighbour;
  double tension = 1.0;                      ///< 0.2..5: how far it goes on as the neighbour does; 1: as an arc would
  std::function<double(double)> tensionAlong; ///< and so many times that, by shares of the path's length; empty: 1
  int neighbourLeft = 0;                      ///< see `RibbonEdge`; seen along the path's own direction
  std::array<std::optional<Leaving>, 2> ends; ///< of open paths: how the blend's borders leave its start and its end
};

struct BlendOptions {
  bool flip = false;           ///< of the second path, against the direction that fits best
  double shift = 0;            ///< of closed paths without corners: partners on the second lie further along by this share of it
};

/// What became of a side.
struct BlendSideResult {
  double gapMm = 0.0;
  SkinJoin join;
};

struct BlendResult {
  std::vector<Surface> patches; ///< from corner to corner; u along the first path, v from the first to the second
  bool closed = false;          ///< the last patch is followed by the first
  std::array<BlendSideResult, 2> sides;
};

/// The skin between two chains of edges, which runs on from both as their neighbours do: one Hermite span of ribbons
/// across, of degree 1 to 7 (see `facingRibbons`). Partners are found by least twist (`alignSections`), corners go to
/// corners, where patches end that share their borders. Fails with LM-H007, LM-H020 (one is closed, the other is not), LM-H021
/// (the blend folds over itself: place), and as `facingRibbons` and `alignSections` do.
Expected<BlendResult> blend(const std::array<BlendSide, 2>& sides, const BlendOptions& options, const Context& cx);

} // namespace lumsk::nurbs
