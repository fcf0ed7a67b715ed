#pragma once
#include "nurbs/sweep/extrude.h"

namespace lumsk::nurbs {

struct RevolveOptions {
  Vec3 at = Vec3::Zero(), axis = Vec3::UnitZ(); ///< unit
  double fromDeg = 0.0, toDeg = 360.0;          ///< right-handed about the axis, the first below the second
  bool merged = false;                          ///< one face from corner to corner, else one a piece
};

struct RevolvedSkin {
  PlainSkin skin;
  Path profile;                        ///< what was turned: without pieces that lie on the axis, beginning beside one
  bool whole = false;                  ///< all around
  std::array<bool, 2> onAxis{};        ///< the profile's ends, where the skin closes
  bool inwards = false;                ///< the faces' normals point to the inside: of what a closed profile holds, or the axis
  std::vector<Path> wedge;             ///< of a part of a turn with both ends on the axis: its sides, closed along the axis
};

/// Skin that a profile leaves while it is turned about an axis: of its points exactly, of their circles within `fit`. It
/// closes where the profile's ends are on the axis. Fails with LM-X001 (next to no angle), LM-X005 (the profile meets
/// the axis elsewhere, or lies on it), LM-X006 (it runs around the axis somewhere), and as `fitLean` does.
Expected<RevolvedSkin> revolve(const Path& profile, const RevolveOptions& options, const Context& cx);

} // namespace lumsk::nurbs
