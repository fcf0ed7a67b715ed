#pragma once
#include "base/context.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/patch/way_out.h"

#include <optional>
#include <vector>

namespace lumsk::nurbs {

/// An edge of a ring, which runs along it, with what a fill is to flow into there (none: nothing).
struct RingEdge {
  const Path* path = nullptr;
  const ArcLength* length = nullptr; ///< of the path
  Neighbour neighbour;
  std::optional<WayOut> out = {};
  double shareOut() const; ///< of the length, of the place where the way out is known
};

/// A closed ring of edges laid out flat, counter-clockwise, with its lengths kept as far as can be: seen along the normal
/// of its area where its neighbours do not lean by more than 50 degrees from it, else walked in the plane keeping arc
/// lengths, geodesic turning and the angles of its corners, with the ways out of what lies beside it at its inner side; what is missing of a whole turn, and of its end meeting its
/// start, is spread by length. Edges are counted as the ring has them, places on them as shares of their lengths.
class FlatRing {
public:
  /// Fails with LM-V002 where the ring has no area, or crosses itself laid out (place).
  static Expected<FlatRing> of(const std::vector<RingEdge>& edges, const Context& cx);

  Vec2 at(int edge, double share) const; ///< mm
  Vec2 inward(int edge, double share) const; ///< unit, square to the ring
  bool contains(const Vec2& p) const;
  Vec2 low() const { return low_; }
  Vec2 high() const { return high_; }
  /// The place within the ring that is farthest from it.
  Vec2 deepest() const;
  bool developed() const { return developed_; }
  /// Of a developed ring: towards which side the skins' normals point that see it run counter-clockwise.
  Vec3 front(int edge, double share) const;
  /// Points of the ring in order, mm.
  const std::vector<Vec2>& outline() const { return outline_; }
  double lengthMm() const { return lengthMm_; }

private:
  void develop(const std::vector<RingEdge>& edges, const Tolerances& tol);
  bool leadsBack() const; ///< laid out so that its inside is where its neighbours are

  std::vector<RingEdge> edges_;
  std::vector<Spline> images_; ///< of a developed ring, over shares; z is nought
  std::vector<std::vector<Vec3>> fronts_; ///< of a developed ring
  std::vector<Vec2> outline_;
  Frame frame_; ///< of the ring's area in space
  Vec2 low_, high_;
  double lengthMm_ = 0;
  bool developed_ = false;
};

} // namespace lumsk::nurbs
