#pragma once
#include "nurbs/patch/rolling.h"

namespace lumsk::nurbs {

// What rolls between two skins, without an edge's own parameter.

/// Feet of two places on the two skins; false where one has none.
bool feetOn(const RoundEdge& edge, const std::array<Vec3, 2>& near, std::array<NeighbourPlace, 2>& on);
/// -1 where the material is inside the corner, so that the ball is in it; 1 where it is outside.
double sideOfBall(const std::array<NeighbourPlace, 2>& on, const Vec3& along);
/// The ball of a signed radius in a plane through a place, from a centre near it (Newton); sets the centre of `x`.
bool ballIn(const RoundEdge& edge, const Vec3& in, const Vec3& square, Vec3 centre, double radius, RolledPlace& x, std::array<NeighbourPlace, 2>& on);
/// The one in the plane square to the edge at `x.edge`, from the corner.
bool ballInCorner(const RoundEdge& edge, double radius, RolledPlace& x, std::array<NeighbourPlace, 2>& on);
Problem noBall(const RolledPlace& x);

/// A ball's own way around an edge with tips, by small steps along both skins at once (pseudo-arclength; Allgower & Georg 1990).
struct BallWay {
  struct Place {
    Vec3 centre, along;
  };
  std::vector<Place> places; ///< the first one again at the end
  double side = -1;          ///< of the ball
};
/// Fails with LM-O004 where it does not come around (place).
Expected<BallWay> ballAround(const RoundEdge& edge, double radiusMm, const Context& cx);

/// Six control points of the section at a place; `side` of the ball.
std::array<Vec3, 6> roundSection(const RoundOptions& options, const RolledPlace& x, double side);
/// The largest angle between bands and their skins along the contacts, degrees.
double contactAngleDeg(const RoundEdge& edge, const std::vector<Surface>& bands);

/// Between two directions, rad.
double turnBetween(const Vec3& a, const Vec3& b);

} // namespace lumsk::nurbs
