#pragma once
#include "nurbs/patch/patch_fit.h"

namespace lumsk::nurbs {

/// An edge of a patch, picked in any order and direction.
struct BoundaryEdge {
  Path path;
  Meets meets = Meets::G0;
  Neighbour neighbour;  ///< of `G1` to `G3`
  double tension = 1.0; ///< 0.2..5: how far the patch goes on as its neighbour does; 1: as is most even
};

struct BoundaryOptions {
  LengthTolerance largestGap{0.01}; ///< ends of edges that miss one another by at most this are brought together
  std::vector<Path> guides;         ///< curves inside that the patch passes through
  std::optional<Frame> mirror;      ///< plane of edges that meet it; without one, each edge's own plane
  std::optional<int> pole;          ///< of three edges: the one that lies opposite the pole; else the smallest angle is
  double zoneShare = 0.1;           ///< of an edge, at corners where neighbours disagree
};

/// What became of an edge.
struct BoundaryEdgeResult {
  std::vector<int> sides; ///< of the patch: 0: v = 0, 1: u = 1, 2: v = 1, 3: u = 0; several where it has corners
  double gapMm = 0.0;
  bool flows = false; ///< more than G0 was asked for
  SkinJoin join;
};

struct BoundaryResult {
  Surface surface;
  std::vector<Surface> further; ///< beside it, from corner to corner, where closed edges with corners are bridged
  std::vector<BoundaryEdgeResult> edges;
  std::vector<PatchCorner> corners; ///< where neighbours disagree
  std::vector<double> guideMm;      ///< distances from the guides
  double largestGapMm = 0.0;        ///< between ends of edges
  std::vector<Vec3> poles;
  bool openSide = false;       ///< three edges that leave the fourth side free
  std::optional<Frame> mirror; ///< a plane that edges meet
  std::optional<Vec3> smoothCornerAt; ///< edges go on in one another there: the patch has no normal in it
};

/// A patch between two, three or four edges, which may be picked in any order; edges with corners are divided there.
/// Four sides: one spline (see `fitPatch`). Three: a ring with a pole in one corner, or, where they do not close, a
/// patch whose fourth side is free. Two: with poles in both ends, or, apart, a loft between them; closed ones are
/// bridged all around. Fails as `fitPatch`
/// and `loft` do, with LM-H001 (too few or too many edges), LM-H002 (they do not form a ring: places, width of the
/// gap), LM-H003 (an edge is too short), LM-H004 (one edge is closed, others are not), LM-H005 (a guide leaves the patch), LM-H006 (an
/// edge does not lie in a mirror plane), LM-H007 (the tension is out of range), LM-H012 (the
/// patch runs away from its edges), LM-H107 (it folds over itself).
Expected<BoundaryResult> boundary(const std::vector<BoundaryEdge>& edges, const BoundaryOptions& options,
                                  const Context& cx);

} // namespace lumsk::nurbs
