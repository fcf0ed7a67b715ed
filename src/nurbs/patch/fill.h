#pragma once
#include "base/meets.h"
#include "nurbs/patch/flat_ring.h"
#include "nurbs/patch/patch_fit.h"
#include "nurbs/patch/way_out.h"

namespace lumsk::nurbs {

/// An edge of a ring to be filled; all run along the ring, each from where the one before ends.
struct FillEdge {
  Path path;
  Meets meets = Meets::G1; ///< `G0` to `G2`
  Neighbour neighbour;     ///< of `G1` and `G2`
  std::optional<WayOut> out = {}; ///< of the neighbour: which way the fill goes on, where the ring alone does not tell
};

struct FillOptions {
  std::vector<Path> inside;   ///< curves that the fill passes through
  std::vector<Vec3> points;   ///< likewise
  double fullnessMm = 0.0;    ///< how far its middle is raised from where it is most even, along its normal
  double zoneShare = 0.1;     ///< of the shorter edge, at corners where neighbours disagree
};

struct FillEdgeResult {
  double gapMm = 0.0;
  SkinJoin join; ///< at places between the samples, outside of zones
};

struct FillResult {
  Surface surface; ///< over [0, 1]^2; it reaches beyond the ring, which trims it
  /// Places of the ring in its domain, by the edge and the share of its length.
  std::function<Vec2(int edge, double share)> image;
  /// The foot of a point of the ring, known to be near such a place.
  Vec2 footOf(const Vec3& p, int edge, double share) const;
  std::vector<FillEdgeResult> edges;
  std::vector<PatchCorner> corners; ///< where neighbours disagree; `side` is the edge that starts there
  SkinJoin rough; ///< beside corners where what lies beside changes how it bends, over 3 % of the edges, which do not count it
  std::vector<double> insideMm;     ///< how far the curves inside, then the points, are left
  Vec2 centre = Vec2::Zero(); ///< of its domain: the place farthest from the ring
  Vec3 middle = Vec3::Zero(), normal = Vec3::Zero(); ///< there
};

/// One degree-5 spline that is trimmed by a closed ring of any number of edges and meets what lies beyond them: least
/// squares over places on the edges as in `fitPatch`, over the ring laid out flat (`FlatRing`), with the largest weight of the
/// integral of its squared third derivatives that meets the tolerances (Celniker & Gossard 1991), on few knots.
/// Where neighbours disagree at a corner tangency outranks curvature, whose rows fade out within a zone (Gregory 1974).
/// Fails with LM-V002, LM-V011 (neighbours say too little or contradict so that no skin comes of it), LM-V012 (it folds over
/// itself: place), LM-V013 (it runs away from its edges), LM-V014 (a curve or point inside lies beyond the ring), LM-L013.
Expected<FillResult> fill(const std::vector<FillEdge>& ring, const FillOptions& options, const Context& cx);

} // namespace lumsk::nurbs
