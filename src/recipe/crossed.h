#pragma once
#include "recipe/step.h"

namespace lumsk::recipe {

// Steps that make skins through two families of curves that cross hold the same inputs, each in its way: what one picks
// as sections and guides, another picks together. Switching between them, or swapping the families, loses nothing:
// what the new form has no place for is kept aside (key "aside" of the inputs) and comes back with the next switch.

/// Family of a pick, 1 or 2, 0 where it is not known, and its place in it. Only asked for picks that stand in one
/// field.
struct InFamily {
  int family = 0, place = 0;
};
using FamilyOf = std::function<InFamily(const std::string& item)>;

/// As the flags of an outcome tell it.
FamilyOf familiesIn(const OutcomePtr& outcome);

/// The families exchanged, with what is asked at their sides. Null for steps that have no two fields for them.
StepPtr swapped(const StepEntry& entry, const Registry& registry);

/// The same inputs as another kind of step; id and name stay. Null where one of both does not hold such inputs.
StepPtr madeAs(const StepEntry& entry, const std::string& kind, const Registry& registry, const FamilyOf& familyOf);

/// Kinds that a step can be made as, its own left out.
std::vector<std::string> otherKinds(const std::string& kind, const Registry& registry);

} // namespace lumsk::recipe
