#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/on_skin/strip.h"

namespace lumsk::brep {

enum class ThickenSide { Inward, Outward, Both };

/// What closes a wall where the skin is open.
enum class ThickenRims {
  Flat,   ///< in the plane of a planar opening, else square to the skin
  Square, ///< square to the skin
  Round   ///< half rounds
};

/// A region of a skin with a thickness of its own.
struct ThickenZone {
  struct Border {
    nurbs::Path path;   ///< on the skin
    bool toLeft = true; ///< the zone lies to its left, seen from the front
  };
  std::string item; ///< that problems name
  std::vector<Border> borders;
  double thicknessMm = 1.0;
  std::optional<nurbs::Transition> transition; ///< over `widthMm`, half of it on either side of the border; none: a step
  double widthMm = 5.0;
};

struct ThickenOptions {
  double thicknessMm = 1.0;
  ThickenSide side = ThickenSide::Inward; ///< inward: against the skin's front
  std::string step;                       ///< id of the step, for names
  ThickenRims rims = ThickenRims::Flat;
  std::vector<int> open;                  ///< faces that are left out, by their order in the body
  std::vector<ThickenZone> zones;         ///< of several that hold a place the smallest counts
};

/// A place of a skin within a zone.
struct ZonePlace {
  Vec3 at = Vec3::Zero(), normal = Vec3::Zero();
};

struct Thickened {
  BodyPtr body;
  std::vector<ZonePlace> zones;    ///< a place in each
  double deviationMm = 0.0;        ///< of the offset faces from the true offsets
  double tightestRadiusMm = 1e300; ///< smallest concave radius met
  std::vector<Problem> notes;
};

/// Solid from a skin, or from a solid that is hollowed: every face is offset by itself. Untrimmed faces by
/// `nurbs::offsetSurface`: across a kink as far as the neighbour's offset, both extended; flat faces between the
/// offsets of their neighbours. Rims are flat where the opening is planar and the offset reaches its plane, else ruled
/// along the normal. The kernel only assembles, and the result is checked: no part of the wall comes nearer to the skin
/// than its thickness. With zones the skin is divided along their borders and each part is offset by its own thickness;
/// transitions are splines on which the thickness follows its course exactly, steps are walls along the normals. Fails with LM-T001 (concave radius), LM-T003 (an edge that cannot be followed: place), LM-T004
/// (thickness out of range, trimmed faces, or nothing to thicken), LM-T005 (the wall runs into another part of the
/// skin), LM-T006 (a flat rim would fold), LM-T007 (the wall folds at a kink), LM-T010 (a border of a zone with a corner, or off the skin), LM-T011 (a zone is
/// narrower than its transition: the width that fits), LM-T012 (zones cross), LM-T013 (a border does not divide the skin), LM-T016 (rims that cannot be rounded),
/// LM-K00x.
Expected<Thickened> thicken(const Body& skin, const ThickenOptions& options, const Context& cx);

} // namespace lumsk::brep
