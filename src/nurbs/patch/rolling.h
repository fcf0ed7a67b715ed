#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/joins/neighbour.h"

#include <array>

namespace lumsk::nurbs {

/// An edge between two skins, with these on its left and right side seen from outside. They go on beyond their borders.
struct RoundEdge {
  const Path* path = nullptr; ///< without corners but at tips: of a closed one, where both skins stay the same
  std::array<Neighbour, 2> sides;
  std::array<std::function<bool(const Vec3&)>, 2> within; ///< whether a place of a skin is part of it; empty: all are
};

enum class RoundSection {
  Circle, ///< what a rolling ball leaves
  Conic,  ///< by rho: less is flatter, 0.5 a parabola, more is sharper
  Smooth, ///< with the skins' own curvature at both sides
  Flat    ///< straight: a chamfer
};
enum class RoundBy {
  Radius,   ///< of the ball that touches both skins
  Width,    ///< between both contacts
  Distances ///< of each contact from the edge, in the plane square to it
};

struct RoundOptions {
  RoundSection section = RoundSection::Circle;
  RoundBy by = RoundBy::Radius;
  double rho = 0.5;
  /// Radius or width, by the share of the edge's length in [0, 1].
  std::function<double(double)> size = [](double) { return 1.0; };
  std::array<double, 2> distancesMm{1, 1}; ///< to the left and the right
  std::optional<double> angleDeg;          ///< of distances: the right one follows from the angle of the chamfer to the left skin
  bool flipped = false;                    ///< distances and angle are those of the other side
  double beyond = 0;                       ///< open ends: so far it goes on, by the contacts' distance from the edge there
  std::array<bool, 2> fades{};             ///< open ends where the skins have become smooth: there the band ends in a point
};

/// A place of a rolled edge.
struct RolledPlace {
  std::array<Vec3, 2> contact, normal, towards; ///< on both skins: the latter unit, across, from the left to the right
  std::array<double, 2> curvature{};            ///< of the skins across, towards their normals
  Vec3 centre = Vec3::Zero(), edge = Vec3::Zero(), along = Vec3::Zero();
  double radiusMm = 0, turnRad = 0; ///< between the normals
  std::array<double, 2> gapMm{};    ///< of the edge from the skins: how far these do not meet
  double bendLimitMm = 1e300;       ///< smallest radius of the skins at the contacts on the ball's side
};

struct RoundBand {
  /// u along the edge, v from its left to its right; several where the edge's curvature jumps between its pieces.
  std::vector<Surface> surfaces;
  std::array<Path, 2> contacts;  ///< their borders, all along
  std::vector<RolledPlace> places; ///< evenly along, for checks
  bool convex = true;
  double deviationMm = 0;        ///< from the sections
  double contactDeg = 0;         ///< between the band and its skins at most
};

/// The band that replaces an edge. Ball, constant width and distances are found place by place (Newton's method on the
/// centre, whose distances from both skins are the radius); sections of degree 5 leave the skins tangentially (Hermite; arcs
/// within 1e-4 of the radius), the rows of their control points are fitted along a curve that follows the centres. Around tips
/// the ball rolls along its own way (marched). Fails with LM-O001 (no size), LM-O002 (larger than a
/// concave skin allows: largest, place), LM-O003 (the way runs backwards or over itself: place), LM-O004 (no ball touches both skins
/// there, or it does not come around), LM-O005 (a smooth or a folded edge), LM-O006 (a contact leaves its skin: place), LM-O010 (a tip, and no radius), LM-G101.
Expected<RoundBand> roundBand(const RoundEdge& edge, const RoundOptions& options, const Context& cx);

/// The largest size that all of `roundBand`'s tests but the fit pass, a constant one; within 2 %, never above the limit, and why no more:
/// the problem of a little more. Nothing where none fits. `fitsMm`: one that does.
struct LargestRound {
  double mm = 0;
  Problem why;
};
std::optional<LargestRound> largestRound(const RoundEdge& edge, RoundOptions options, double mostMm, const Context& cx, double fitsMm = 0);

} // namespace lumsk::nurbs
