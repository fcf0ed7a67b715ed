#pragma once
#include "base/tolerances.h"
#include "recipe/expression.h"

#include <functional>
#include <map>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <vector>

namespace lumsk::recipe {

/// A named number; its expression may use the parameters before and after it, as long as there is no circle.
struct Parameter {
  std::string name;
  std::string expression;
  Dimension dimension = Dimension::Length;
};

/// One step as the person made it. `inputs` holds values by the keys of the kind's schema (file-format.md).
struct StepEntry {
  std::string id; ///< never changes: "s4"
  std::string kind;
  int version = 1;
  std::string label;
  bool on = true;
  std::string group;  ///< of rows that stand together; empty: none. Like label and colour it does not count for results
  std::string colour; ///< of its row: "#rrggbb" or empty
  std::shared_ptr<const nlohmann::json> inputs;
};
using StepPtr = std::shared_ptr<const StepEntry>;

/// How light comes off a body.
enum class Finish { Matt, Satin, Gloss, Metal };
const char* finishName(Finish f);
std::optional<Finish> finishOf(const std::string& name);

/// What a person chose about how an object is shown. Does not count for evaluation.
struct Look {
  std::string label;  ///< empty: the step's
  std::string colour; ///< "#rrggbb" or empty
  bool visible = true;
  double opacity = 1.0; ///< 0.1 to 1
  Finish finish = Finish::Matt;
  double density = 0.0; ///< g/cm³; nought: not told
  std::map<std::string, std::string> faces = {}; ///< "#rrggbb" of faces that have their own colour, by their names
};

/// The editable history: an immutable value. Copies are cheap, steps and imported files are shared.
struct Recipe {
  std::vector<Parameter> parameters;
  Tolerances tolerances;
  std::vector<StepPtr> steps;
  std::map<std::string, Look> looks; ///< by id of a body ("b4") or of a step ("s2")
  std::string here;                  ///< id of the step after which new ones go; empty: at the end
  std::map<std::string, std::shared_ptr<const std::string>> imports; ///< bytes of imported files by hash
  int lastId = 0;                                                    ///< number of the last id given out

  int indexOf(const std::string& id) const; ///< -1 if there is none
  const StepEntry* find(const std::string& id) const;
  std::string newId(); ///< the next free number, as text
  /// Copies with one change; the original stays as it is.
  Recipe withStep(StepPtr changed) const;
  Recipe withInserted(StepPtr step) const; ///< at the here mark
  Recipe without(const std::string& id) const;
};
using RecipePtr = std::shared_ptr<const Recipe>;

/// A step with one input changed.
StepPtr withInput(const StepEntry& s, const std::string& key, const nlohmann::json& value);

/// Values of all parameters. Fails with LM-E00x naming the parameter, LM-E006 for a circle.
Expected<Names> parameterValues(const Recipe& r);

/// Ids of the steps that a step's inputs refer to ("world" left out).
std::vector<std::string> referencesOf(const StepEntry& s);

/// "xxh128:..." of some bytes.
std::string hashOf(const std::string& bytes);

// Text form (docs/file-format.md). Reading fails with LM-F00x and never half-way.
constexpr int kFormatVersion = 1;
std::string toText(const Recipe& r);
Expected<Recipe> fromText(const std::string& text);

/// All pick fields and similar items are found by walking: an array of objects with "step" is a list of picks.
void forEachReference(const nlohmann::json& inputs, const std::function<void(const nlohmann::json& pick)>& f);

} // namespace lumsk::recipe
