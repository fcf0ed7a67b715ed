#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

/// Curves drawn in one plane, which is looked at along its normal.
struct View {
  std::vector<Path> curves;
  Frame plane;
};

struct TwoViewOptions {
  /// Straight lines from corners of one outline through the inside of the other: with them, closed outlines give all
  /// sharp edges of the common body of the two extrusions.
  bool cornerLines = false;
};

struct TwoViewResult {
  std::vector<Path> branches; ///< longest first
  std::vector<Vec3> touches;  ///< places where the views meet in a point only
  double angleDeg = 90.0;     ///< between the two view directions
  double deviationMm = 0.0;   ///< largest distance from the outlines as seen along their planes' normals
};

/// The curves that look like the first outline along the first plane's normal and like the second along the second's:
/// all points whose heights along the planes' common direction agree. Outlines are cut into stretches of monotone
/// height; every pair of overlapping ones gives one arc, exactly, and arcs are joined through their ends, so that no
/// branch is lost. Smooth extremes of both at one height within `fit` cross. Loops of an outline count by the even-odd
/// rule. Arcs are fitted within `fit`; lines of both give lines.
/// Fails with LM-P001 (parallel views), LM-P002 (no common extent: how far they are apart), LM-P004 (they touch in
/// points only), LM-G101.
Expected<TwoViewResult> twoViewCurve(const View& first, const View& second, const TwoViewOptions& options,
                                     const Context& cx);

/// Curves sorted by the planes that they lie in: the given ones first, then their own. A straight curve lies in many:
/// it joins a view whose plane holds it when there are two, or makes one that is upright to the other. Fails with
/// LM-P003 (a curve that is not planar, or a straight one whose plane is open), LM-P005 (not two planes).
Expected<std::pair<View, View>> sortedIntoViews(const std::vector<Path>& curves, const std::vector<Frame>& planes,
                                                const Tolerances& tol);

} // namespace lumsk::nurbs
