#pragma once
#include "recipe/recipe.h"
#include "recipe/step.h"

namespace lumsk::recipe {

/// Ids of the steps whose results count for a step: those it picks from, and those before it that measure what its
/// expressions use. In no order, each once.
std::vector<std::string> needsOf(const StepEntry& entry, const Recipe& recipe, const Registry& registry);

/// Names that a step's expressions use.
std::vector<std::string> namesUsedBy(const StepEntry& entry, const Registry& registry);

} // namespace lumsk::recipe
