#pragma once
#include "brep/body.h"

namespace lumsk::inspect {

/// One face beside a place of an edge.
struct EdgeSide {
  Vec3 normal = Vec3::Zero(), into = Vec3::Zero(); ///< unit: outwards, and along the face away from its border
};
/// A place of an edge with the faces that meet there: two, or one at an open edge.
struct EdgePlace {
  Vec3 at = Vec3::Zero();
  std::vector<EdgeSide> sides;
  bool bulges() const { return sides.size() < 2 || sides[0].normal.dot(sides[1].into) < 0; } ///< else it is hollow
  double turnDeg() const;                                                                    ///< nought at open edges
};

/// Places along an edge from end to end, evenly in its parameter. None for seams, for edges that are shrunk to a point and
/// for those that lie on their faces without a parameter curve.
std::vector<EdgePlace> placesAlong(const brep::Body& b, int edge, int places);

/// The share of a triangle's area where two numbers that are linear in it are above nought.
double shareWhere(const std::array<double, 3>& a, const std::array<double, 3>& b);

} // namespace lumsk::inspect
