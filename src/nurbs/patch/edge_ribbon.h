#pragma once
#include "base/context.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/joins/neighbour.h"

#include <array>
#include <functional>
#include <optional>

namespace lumsk::nurbs {

/// How a border leaves an end of an edge: derivatives by its length, the first of length 1.
struct Leaving {
  Vec3 direction = Vec3::Zero(), bend = Vec3::Zero(), rate = Vec3::Zero();
};

/// An edge, natural or trimmed, beyond which a skin goes on as its neighbour does, or square to a mirror plane.
struct RibbonEdge {
  const Path* path = nullptr;
  const ArcLength* length = nullptr;    ///< of the path
  std::function<double(double)> share;  ///< of the length, by the skin's parameter in [0, 1]; no corner lies between
  int order = 0;       ///< 0 to 3: so many derivatives across are wanted
  Neighbour neighbour; ///< of orders from 1 on
  Vec3 plane =
      Vec3::Zero();     ///< or the unit normal of the mirror plane: then order 1 is square to it, 3 one smooth form
  double tension = 1.0; ///< how far the skin goes on as the neighbour does; 1: as an arc to the other edge would
  std::function<double(double)> tensionAlong; ///< and so many times that, by the parameter; empty: 1
  /// 1 and -1: the neighbour ends at the edge, and lies to its left or right seen from the side of its normals; 0: it is
  /// not known, or goes on beyond it. Skins leave neighbours that end, whichever way the other edge lies.
  int neighbourLeft = 0;
  std::array<std::optional<Leaving>, 2> ends; ///< how the skin's borders leave the first and the last place, if not freely
};

/// Place and derivatives across an edge as splines of its length: curves of a skin that starts so lie in the normal
/// sections of the neighbour, so that it meets it with the order asked for.
struct EdgeRibbon {
  std::vector<Points> rows; ///< control points of the place, then of the first to third derivative, mm
  double gapMm = 0.0;       ///< from the edge
  SkinJoin join;            ///< with the neighbour, between the places that it was fitted to
};

/// Two ribbons that go towards one another, on one knot vector of degree 5 over [0, 1]: places of equal parameters
/// are partners. The derivatives' unit is the same on both: the mean of the arcs that leave either way.
struct FacingRibbons {
  Knots knots;
  bool closed = false;
  std::array<EdgeRibbon, 2> ribbons;
};

/// The direction, in the tangent plane of a normal, in which a skin leaves an edge towards a place that lies `way` away;
/// not unit. `neighbourLeft`: see `RibbonEdge`.
Vec3 leavingWay(const Vec3& way, const Vec3& normal, const Vec3& along, int neighbourLeft);

constexpr int kRibbonDegree = 5;

/// On the fewest spans with which both edges are met: within 0.3 `fit` (0.018 where a rate is to be met), a tenth of what joins may be off in
/// angle, a twentieth in curvature (a tenth), a fifth in its rate. What that does not reach is said by the figures. Fails with LM-L013 (an edge does
/// not lie on its neighbour), LM-L014 (the way to the other edge stands square on it), LM-H011 (they
/// touch), LM-H022 (skins that end at their edges overlap: place), LM-G101.
/// `closed`: all around, smooth at the seam.
Expected<FacingRibbons> facingRibbons(const std::array<RibbonEdge, 2>& edges, bool closed, const Context& cx);

/// The skin between them: one span across, of the least degree that has all their derivatives (Hermite). u runs along
/// the edges, v from the first to the second.
Surface skinBetween(const FacingRibbons& ribbons);

} // namespace lumsk::nurbs
