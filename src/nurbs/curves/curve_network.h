#pragma once
#include "nurbs/curves/curve_ends.h"

namespace lumsk::nurbs {

/// A place where two curves of a network cross or nearly do.
struct NetworkCrossing {
  int a = 0, b = 0;        ///< indices of the curves
  double s = 0.0, t = 0.0; ///< parameters on them
  Vec3 at = Vec3::Zero();  ///< halfway between
  double gapMm = 0.0;
  double angleDeg = 90.0; ///< between the tangents, 0..90
};

/// All crossings of a set of curves with a gap of at most `reachMm`, curve by curve.
std::vector<NetworkCrossing> crossingsOf(const std::vector<Path>& curves, double reachMm);

struct ClosedNetwork {
  std::vector<Path> curves;
  std::vector<NetworkCrossing> crossings; ///< as they are now
  double movedMm = 0.0;                   ///< of any curve, at most
  Vec3 movedAt = Vec3::Zero();
  int closed = 0; ///< crossings that were open before
};
/// Curves pulled together where their gap is above `point` and at most `limitMm`: all that cross at one place meet in
/// the middle of it. Only control points near these places move; lines that must bend become splines. Curves marked in
/// `held` stay and the others come to them. Fails with LM-P061 where two held curves do not meet.
Expected<ClosedNetwork> closedNetwork(const std::vector<Path>& curves, const std::vector<char>& held, double limitMm,
                                      const Context& cx);

/// A path whose places at parameters move by given vectors, as little elsewhere as its splines allow.
Expected<Path> pulled(const Path& p, const std::vector<std::pair<double, Vec3>>& moves, const Context& cx);

} // namespace lumsk::nurbs
