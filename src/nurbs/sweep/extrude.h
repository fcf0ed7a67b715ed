#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <optional>

namespace lumsk::nurbs {

/// A skin of straight or circular lines: u along the profile (of revolved ones around), v along the lines.
struct PlainSkin {
  struct Face {
    Surface surface;
    int piece = 0;     ///< of the profile
    bool back = false; ///< of a wall that leans both ways: on the side against the direction
  };
  std::vector<Face> faces;
  int pieces = 1;
  double deviationMm = 0.0; ///< from what was asked for
  double leanOffDeg = 0.0;  ///< by how much walls lean otherwise at most: beside corners of bent profiles
};

struct ExtrudeOptions {
  Vec3 direction = Vec3::UnitZ();            ///< unit
  std::array<double, 2> reachMm{0.0, 10.0};  ///< against the direction and along it, none below nought
  std::array<std::optional<Frame>, 2> until; ///< ends in a plane instead
  double leanDeg = 0.0;                      ///< of the walls from the direction, outwards as they go on, -85..85
  double outwards = 1.0;                     ///< 1: outside is where tangent x direction points, -1: the other side
  bool merged = false;                       ///< one face from corner to corner, else one a piece
};

/// Skin that a profile leaves while it is moved along a line: straight lines and splines exactly, arcs within `fit`.
/// With a lean every line of the skin leans, in the plane square to the profile; at corners both sides meet in the line
/// of their planes. Both ways, each side leans from the profile. Fails with LM-X001 (it has next to no length), LM-X002
/// (the profile runs along the direction somewhere, or turns back over itself), LM-X003 (walls that lean would cross),
/// LM-X004 (a plane to end in lies behind, or along the direction), and as `fitLean` does.
Expected<PlainSkin> extrude(const Path& profile, const ExtrudeOptions& options, const Context& cx);

/// 1 where the outside of a profile is where tangent x direction points, else -1: of a closed one away from what it
/// encloses, of an open one away from its chord.
double outwardsOf(const Path& profile, const Vec3& direction);

/// Unit direction square to profiles, upwards: to the plane that all lie in, or the first one; where that has none, up,
/// or along x where it stands upright.
Vec3 squareTo(const std::vector<Path>& profiles, LengthTolerance point);

/// Pieces of a path for plain skins: each segment, or each stretch between corners.
Expected<std::vector<Path>> piecesOf(const Path& path, bool merged, const Tolerances& tol);
/// A piece as one spline within `fit`; its largest distance is taken into `deviationMm`. Lines and splines stay what they
/// are.
Expected<Spline> pieceAsSpline(const Path& piece, const Context& cx, double& deviationMm);

} // namespace lumsk::nurbs
