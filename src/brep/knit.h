#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "brep/history.h"

namespace lumsk::brep {

/// Two open edges that come near one another and were not joined.
struct NearMiss {
  Vec3 at = Vec3::Zero();
  double gapMm = 0.0; ///< largest distance along the shorter of them
};

struct Knitted {
  BodyPtr body;
  std::vector<NearMiss> nearMisses; ///< widest first
};

/// Those of some open edges that run along another one of them within a reach, mm, without being joined to it; widest first.
/// Stops where the context says so, with those found until then.
std::vector<NearMiss> nearMisses(const std::vector<TopoDS_Edge>& open, double reachMm, const Context& cx);

/// Joins faces along edges that lie within `largestGap` of one another (sewing by the kernel) to one skin, or to a
/// solid when it closes and is to be one. Names and untrimmed faces stay. Orientations are made to agree, outwards for solids. Fails
/// with LM-B001 (more than two faces along an edge), LM-B002 (faces that touch none of the others; nearest distance and
/// place given), LM-B003 (faces that lie on one another), LM-K00x.
/// `overlaps`: whether faces are looked at for lying on one another; those of a body that was cut do not.
Expected<Knitted> knitFaces(const std::vector<NamedFace>& faces, LengthTolerance largestGap, const Context& cx, bool solid = true, bool overlaps = true);

/// Another spline for a face, and what it was made to meet at its sides; those that are not named keep what they had.
struct OtherSpline {
  std::shared_ptr<const nurbs::Surface> surface;
  std::map<int, Meets> asked{}; ///< by side, as `NaturalFace::asked`
};
using OtherSplines = std::map<int, OtherSpline>; ///< by the face's number

/// A body whose untrimmed faces of the given numbers got other splines; the other faces stay. Names stay. Fails as
/// `skinFromSurfaces` and `knitFaces` do.
Expected<Knitted> withSurfaces(const Body& body, const OtherSplines& changed, const Context& cx);

} // namespace lumsk::brep
