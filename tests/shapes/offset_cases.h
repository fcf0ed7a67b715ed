#pragma once
#include "brep/body.h"

namespace lumsk::test {

/// A made-up body to offset: a piece of a skin or of a solid that was cut.
struct OffsetCase {
  std::string name;
  brep::BodyPtr body;
};

/// Pieces of `cutCases` (so many of every kind) and of `solids` solids: trimmed, foreign, with seams, poles and kinks.
std::vector<OffsetCase> offsetCases(int perKind, int solids, unsigned seed);

/// What is wrong with an offset, judged by the geometry kernel; empty: nothing. Validity, roughness, number of faces; no
/// place nearer to the body than the distance; half of them just as far, all of them where the body has no sharp edges.
std::string wrongOffset(const brep::Body& from, const brep::Body& made, double mm);

/// Distance from its faces by the geometry kernel, inside solids as well.
double distanceTo(const brep::Body& b, const Vec3& p);

/// Control points of the surfaces of faces that are splines in both bodies, of a degree at least.
struct PointCounts {
  int before = 0, after = 0;
};
PointCounts controlPointsOf(const brep::Body& from, const brep::Body& made, int leastDegree = 1);

} // namespace lumsk::test
