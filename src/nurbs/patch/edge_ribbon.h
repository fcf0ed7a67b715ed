#pragma once
#include "base/context.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/joins/neighbour.h"

#include <array>

namespace lumsk::nurbs {

/// An edge, natural or trimmed, beyond which a skin goes on as its neighbour does, or square to a mirror plane.
struct RibbonEdge {
  const Path* path = nullptr;        ///< open, without corners
  const ArcLength* length = nullptr; ///< of the path
  bool reversed = false;
  int order = 0;       ///< 0 to 3: so many derivatives across are wanted
  Neighbour neighbour; ///< of orders from 1 on
  Vec3 plane =
      Vec3::Zero();     ///< or the unit normal of the mirror plane: then order 1 is square to it, 3 one smooth form
  double tension = 1.0; ///< how far the skin goes on as the neighbour does; 1: as an arc to the other edge would
};

/// Place and derivatives across an edge as splines of its length: curves of a skin that starts so lie in the normal
/// sections of the neighbour, so that it meets it with the order asked for.
struct EdgeRibbon {
  std::vector<Points> rows; ///< control points of the place, then of the first to third derivative, mm
  double gapMm = 0.0;       ///< from the edge
  SkinJoin join;            ///< with the neighbour, between the places that it was fitted to
};

/// Two ribbons that go towards one another, on one knot vector of degree 5 over [0, 1]: equal shares of the lengths of
/// the edges are partners. The derivatives' unit is the same on both: the mean of the arcs that leave either way.
struct FacingRibbons {
  Knots knots;
  std::array<EdgeRibbon, 2> ribbons;
};

constexpr int kRibbonDegree = 5;

/// On the fewest spans with which both edges are met: within 0.018 `fit`, a tenth of what joins may be off in angle and
/// curvature, a fifth in its rate. What that does not reach is said by the figures. Fails with LM-L013 (an edge does
/// not lie on its neighbour), LM-L014 (the way to the other edge stands square on it), LM-H011 (they
/// touch), LM-G101.
Expected<FacingRibbons> facingRibbons(const std::array<RibbonEdge, 2>& edges, const Context& cx);

/// The skin between them: one span across, of the least degree that has all their derivatives (Hermite). u runs along
/// the edges, v from the first to the second.
Surface skinBetween(const FacingRibbons& ribbons);

} // namespace lumsk::nurbs
