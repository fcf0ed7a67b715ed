#pragma once
#include "nurbs/patch/rolling.h"

namespace lumsk::nurbs {

/// A stretch of an edge along which its skins meet with a kink; at ends that fade they have become smooth.
struct RoundStretch {
  Path path;
  std::array<bool, 2> fades{}, tapers{}; ///< the latter: ends with a little kink left, towards which the size comes to nothing
  std::array<double, 2> share{0, 1};     ///< of the edge's length: where it begins and ends
  double creaseDeg = 0;                  ///< that is left where it fades
};

/// Where an edge is to be rounded by a size: all of it, or without where its skins are smooth. It ends where a ball leaves next to
/// nothing. Fails with LM-O005 where the skins are smooth all along, or hardly meet with a kink but a ball leaves more than a point.
Expected<std::vector<RoundStretch>> roundStretches(const RoundEdge& edge, double sizeMm, const Tolerances& tol);

/// Sizes along a stretch, by shares of its own length, of those of its edge.
std::function<double(double)> sizesAlong(const RoundStretch& stretch, std::function<double(double)> ofEdge);

} // namespace lumsk::nurbs
