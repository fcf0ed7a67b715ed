#pragma once
#include "recipe/recipe.h"
#include "recipe/step.h"

namespace lumsk::recipe {

/// What a step's inputs say without a look at the other steps.
struct Uses {
  std::vector<std::string> steps;    ///< ids of those it picks from
  std::vector<std::string> names;    ///< that its expressions use
  std::vector<std::string> measures; ///< names of what it measures
  std::vector<std::string> files;    ///< hashes of imports
};
Uses usesOf(const StepEntry& entry, const Registry& registry);

/// Ids of the steps whose results count for a step: those it picks from, and those before it that measure what its
/// expressions use. In no order, each once.
std::vector<std::string> needsOf(const StepEntry& entry, const Recipe& recipe, const Registry& registry);

/// Names that a step's expressions use.
std::vector<std::string> namesUsedBy(const StepEntry& entry, const Registry& registry);

} // namespace lumsk::recipe
