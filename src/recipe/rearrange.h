#pragma once
#include "recipe/needs.h"

namespace lumsk::recipe {

// Edits of a recipe as a whole: values in, values out.

/// A step brought to another place (its index afterwards). Fails with LM-R040 when it would come before a step that it
/// needs or after one that needs it; the sentence names both.
Expected<Recipe> movedTo(const Recipe& r, const std::string& step, int place, const Registry& registry);

/// Places that a step can be brought to: first and last index.
std::pair<int, int> placesFor(const Recipe& r, const std::string& step, const Registry& registry);

/// Copies of some steps after the last of them; what they take from one another is taken from the copies. Names of
/// measurements get a number. The ids of the copies are those from `r.lastId + 1` on.
Recipe duplicated(const Recipe& r, const std::vector<std::string>& steps, const Registry& registry);

/// Some steps as bytes (CBOR) that can be pasted into this or another recipe, with the numbers and files they use.
std::string clipOf(const Recipe& r, const std::vector<std::string>& steps, const Registry& registry);

struct Pasted {
  Recipe recipe;
  std::vector<std::string> steps; ///< ids of what came
  int dropped = 0;                ///< picks of things that are not here
};
/// Pastes after the here mark. What the steps took from steps outside the clip is kept where this is the project that
/// they were copied from (more than half of its steps are here, unchanged) and the step is there, else the pick is
/// dropped and the step asks for it. Numbers and files come along; a number that
/// is here already keeps its value here. Fails with LM-R041 when the bytes are no clip.
Expected<Pasted> pasted(const Recipe& r, const std::string& clip, const Registry& registry);

/// Steps with one more change each.
Recipe withGroup(const Recipe& r, const std::vector<std::string>& steps, const std::string& group);
Recipe withColour(const Recipe& r, const std::vector<std::string>& steps, const std::string& colour);

} // namespace lumsk::recipe
