#pragma once
#include "nurbs/reshape/iron.h"
#include "recipe/edit_picks.h"

namespace lumsk::recipe {

// Curves are ironed out: their control points move by no more than is stated, so that the skins made from them wrinkle
// least (see nurbs/reshape/iron.h). The moves are kept as steps of the kind that shapes a curve.

/// A curve that skins are made from, as it is picked.
struct LeadingCurve {
  std::string step, part;
  CurvePtr path;
  bool held = false; ///< not one of those chosen
};

/// Skins that steps make from curves, and all curves that they are made from.
struct LedSkins {
  std::vector<std::string> steps;
  std::vector<nurbs::Surface> skins;
  std::vector<LeadingCurve> curves;
};

/// Those made from the picked curves; of a picked skin, or a face of one, all of its curves count as picked. Steps that go on with a skin of an
/// earlier one make none. Fails with LM-R045 (no curve among the picks), LM-R046 (nothing is made from them).
Expected<LedSkins> skinsLedBy(const std::vector<PickRef>& picks, const Model& model, const Registry& registry);

struct IronedOut {
  Recipe recipe;                   ///< with the moves
  std::vector<std::string> shaped; ///< steps that hold them
  std::vector<std::string> skins;  ///< steps that make the skins
  double before = 0, after = 0;    ///< wrinkle index of all the skins together
  double mostMm = 0;               ///< that a control point moves
  int points = 0;                  ///< that move
};

/// The recipe with the least moves. Every curve that moves gets a step that shapes it, all of them before the first of the skins and in one
/// group; what is made later takes its curve from that. A curve that is such a step's already keeps its moves and gets more, each within `most`
/// of where the step before had it. The skins are made anew up to three times, and the best counts. Fails as `skinsLedBy` does, with LM-R044 (the skin cannot be made with the moves), LM-R047 (no
/// curve lies on a skin made from it), LM-R048 (nothing gets better), LM-R049 (a curve with too many control points).
Expected<IronedOut> ironedOut(const std::vector<PickRef>& picks, LengthTolerance most, const Model& model, const Registry& registry, const Context& cx);

/// Control points of the curves that the skins are made from, with what each adds to their wrinkle index. Fails as `skinsLedBy` does.
Expected<std::vector<nurbs::WrinkleShare>> whyWrinkled(const LedSkins& led, const Context& cx);

} // namespace lumsk::recipe
