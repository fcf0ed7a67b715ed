#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

enum class ThickenSide { Inward, Outward, Both };

struct ThickenOptions {
  double thicknessMm = 1.0;
  ThickenSide side = ThickenSide::Inward; ///< inward: against the skin's front
  std::string step;                       ///< id of the step, for names
  std::vector<int> open;                  ///< faces that are left out, by their order in the body
};

struct Thickened {
  BodyPtr body;
  double deviationMm = 0.0;        ///< of the offset faces from the true offsets
  double tightestRadiusMm = 1e300; ///< smallest concave radius met
  std::vector<Problem> notes;
};

/// Solid from a skin, or from a solid that is hollowed: every face is offset by itself. Untrimmed faces by
/// `nurbs::offsetSurface`: across a kink as far as the neighbour's offset, both extended; flat faces between the
/// offsets of their neighbours. Rims are flat where the opening is planar and the offset reaches its plane, else ruled
/// along the normal. The kernel only assembles, and the result is checked: no part of the wall comes nearer to the skin
/// than its thickness. Fails with LM-T001 (concave radius), LM-T003 (an edge that cannot be followed: place), LM-T004
/// (thickness out of range, trimmed faces, or nothing to thicken), LM-T005 (the wall runs into another part of the
/// skin), LM-T006 (a flat rim would fold), LM-T007 (the wall folds at a kink), LM-K00x.
Expected<Thickened> thicken(const Body& skin, const ThickenOptions& options, const Context& cx);

} // namespace lumsk::brep
