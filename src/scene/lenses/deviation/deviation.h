#pragma once
#include "scene/lens_work.h"

namespace lumsk::scene {

struct DeviationLook {
  static constexpr const char* kLens = "deviation";
  std::string to; ///< step of a backdrop, or id of a body; empty: the first that is there
  double withinMm = 0.1, rangeMm = 1;
};

/// What deviations are measured to: by name, else the first backdrop, else the first body when there are others.
struct DeviationTo {
  inspect::DeviationTarget target;
  std::string label;
};
/// Nothing where there is none, where it is measured points, or the body `from` itself.
std::optional<DeviationTo> deviationTarget(const Scene& scene, const LensState& state, MeasuredForms& forms,
                                           const DrawnBody* from = nullptr);

} // namespace lumsk::scene
