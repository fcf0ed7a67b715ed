#pragma once
#include "base/tolerances.h"
#include "brep/rings.h"
#include "nurbs/core/path.h"

#include <functional>
#include <map>
#include <memory>

namespace lumsk::brep {

// Curves along edges of bodies. All fail with LM-G004, LM-G005 as `nurbs::Path::make` does.

/// An edge and those that go on from it without a corner, in both directions, but edges that do not pass.
Expected<nurbs::Path> tangentChain(const Body& b, int edge, AngleTolerance corner, LengthTolerance point, const std::function<bool(int)>& passes = {});
/// All around: the opening that an open edge belongs to; what comes back to it without a corner; or the border of its first face that it
/// lies on.
Expected<nurbs::Path> loopThrough(const Body& b, int edge, LengthTolerance point);
/// Edges of a ring, in order.
Expected<nurbs::Path> pathAlong(const Ring& ring, LengthTolerance point);
/// The outer border of a face.
Expected<nurbs::Path> outlineOf(const Body& b, int face, LengthTolerance point);
/// The borders of a face's openings.
Expected<std::vector<nurbs::Path>> holesOf(const Body& b, int face, LengthTolerance point);

/// Whether an edge runs along a path: places of it lie that near.
bool runsAlong(const nurbs::Path& path, const nurbs::Path& edge, double nearMm);

/// The plane of a flat face, its normal outwards; nothing for others. Splines are flat within `point`.
std::optional<Frame> planeOf(const Body& b, int face, LengthTolerance point);

/// How many faces reach a place.
int facesAround(const Body& b, const Vec3& at, double nearMm);
class BodyFaces;
/// The largest angles between the two faces at edges of one body, degrees; nought where there are not two. What is found out
/// about a face is kept for its other edges.
class EdgeTurns {
public:
  explicit EdgeTurns(const Body& b);
  ~EdgeTurns();
  double at(int edge);

private:
  const BodyFaces* on(int face); ///< null: it cannot be looked at
  const Body& body_;
  std::map<int, std::unique_ptr<const BodyFaces>> faces_;
};

/// The plane that touches a face at its place nearest to a point, its normal outwards; nothing where it has none.
std::optional<Frame> touchingPlane(const Body& b, int face, const Vec3& near);

} // namespace lumsk::brep
