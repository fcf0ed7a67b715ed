#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

enum class ThickenSide { Inward, Outward, Both };

struct ThickenOptions {
  double thicknessMm = 1.0;
  ThickenSide side = ThickenSide::Inward; ///< inward: against the skin's front
  std::string step;                       ///< id of the step, for names
};

struct Thickened {
  BodyPtr body;
  double deviationMm = 0.0;        ///< of the offset faces from the true offsets
  double tightestRadiusMm = 1e300; ///< smallest concave radius met
  std::vector<Problem> notes;
};

/// Solid from a smooth skin: offset faces by `nurbs::offsetSurface`, rims flat where the border is planar and the
/// offset reaches its plane, else ruled along the normal; the kernel only assembles, and the result is checked.
/// Fails with LM-T001 (concave radius), LM-T003 (kink: place and angle), LM-T004 (thickness out of range or nothing to
/// thicken), LM-T005 (the wall runs into another part of the skin), LM-T006 (a flat rim
/// would fold), LM-K00x.
Expected<Thickened> thicken(const Body& skin, const ThickenOptions& options, const Context& cx);

} // namespace lumsk::brep
