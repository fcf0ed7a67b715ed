#pragma once
#include "recipe/evaluator.h"

namespace lumsk::recipe {

// Every construction that the same curves allow, computed and compared.

/// What tells two skins through the same curves apart.
struct WayFigures {
  double deviationMm = 0.0;      ///< of the skin from the curves
  bool joins = false;            ///< some of the curves are edges of skins, which it meets:
  double gapMm = 0.0, angleDeg = 0.0, curvature = 0.0;
  double wrinkles = 0.0;         ///< see nurbs/wrinkles.h
  double smallestRadiusMm = 0.0; ///< of curvature
  int controlPoints = 0;
};

struct Way {
  std::string name;  ///< "Loft", "Loft the other way"
  StepPtr step;      ///< as it would be kept; its id is a stand-in
  StepResult result; ///< with a problem where it does not fit
  WayFigures figures;
  bool holds = false; ///< passes through its curves and meets its neighbours within the tolerances
  bool best = false;
  std::string reason; ///< of the best one
  bool fits() const { return result.status == Status::Ok; }
};

/// All steps that hold two families of crossing curves (see crossed.h), each with these picks: as they are sorted by
/// the one that sorts them, both ways round where that makes a difference; and in all ways of those that need no families
/// (`MadeThrough`). Edges of skins are flown on from with G2
/// where that can be had, else only met. The best comes first: of those that hold, the one with the least wrinkles, or
/// with fewer points when they are alike; ways that do not fit come last. Steps before are taken from the model, after
/// which the new one would stand. `picks`: as a field of picks holds them.
std::vector<Way> tryWays(const nlohmann::json& picks, const Model& model, const Registry& registry, const Context& cx);

/// The picks of a step that can be made in other ways; an empty list for others.
nlohmann::json picksForWays(const StepEntry& entry, const Registry& registry, const Model& model);

/// Picks of all edges of the opening that a picked edge belongs to; empty where it is no open edge of a closed ring.
nlohmann::json openingOf(const nlohmann::json& pick, const Model& model);

} // namespace lumsk::recipe
