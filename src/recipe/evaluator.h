#pragma once
#include "recipe/cache.h"
#include "recipe/needs.h"

namespace lumsk::recipe {

struct EvaluateOptions {
  CancelToken cancel;
  ProgressSink progress;
  bool lightOnly = false; ///< during a drag: steps that take `lightSeconds` or more stay stale, and so does what no
  /// body that is seen needs, once that time has passed
  double lightSeconds = 0.080;
  ModelPtr previous;      ///< where last good results come from
  /// Told what there is so far, now and then; what was not reached is stale. On the thread of `evaluate`.
  std::function<void(const ModelPtr&)> reached = {};
};

/// Turns recipes into models. Safe from several threads, though one evaluation at a time is the intended use.
/// Independent steps run side by side; one core is left to drawing.
class Evaluator {
public:
  explicit Evaluator(const Registry& registry) : registry_(registry) {}
  /// Always gives a model; a cancelled one has the steps that were not reached stale.
  ModelPtr evaluate(RecipePtr recipe, const EvaluateOptions& options);
  /// Takes a result that was computed before, by its key.
  void remember(const std::string& key, OutcomePtr outcome) {
    const double seconds = outcome->seconds;
    cache_.put(key, {std::move(outcome), {}, seconds});
  }
  const Registry& registry() const { return registry_; }
  /// Seconds of the step's last compute, 0 if it never ran.
  double lastSeconds(const std::string& stepId) const;

private:
  /// A step among the others of its recipe.
  struct Planned {
    StepPtr entry;
    std::shared_ptr<const Uses> uses;
    std::vector<int> needs;            ///< earlier steps whose results count, by their places
    bool lost = false;                 ///< picks from what is not there, or comes later
    std::optional<Problem> misnamed;   ///< a measurement's name that cannot be used, or is used too early
  };
  /// What a step was read as: with the same inputs and the same results before it, it has the same key.
  struct Read {
    std::shared_ptr<const nlohmann::json> inputs;
    std::string before, key;
  };
  struct Memory {
    std::string kind;
    std::shared_ptr<const nlohmann::json> inputs;
    std::shared_ptr<const Uses> uses; ///< of these inputs
    std::vector<Read> read;           ///< the last first
    double seconds = 0;               ///< of the last compute
    double expected = 0;              ///< of the next one: other work only ever makes it longer
    int runs = 0;                     ///< computes that `expected` knows of
  };

  std::vector<Planned> planned(const Recipe& recipe, const Names& numbers);
  std::vector<char> comeFirst(const std::vector<Planned>& steps, const EvaluateOptions& options) const;
  StepResult runSafely(const Planned& step, const Model& soFar, const EvaluateOptions& options);
  StepResult run(const Planned& step, const Model& soFar, const EvaluateOptions& options);
  std::string keyKnown(const Planned& step, const std::string& before) const;
  bool light(const std::string& stepId, double seconds) const;
  void took(const std::string& stepId, double seconds, bool now);
  void keepKey(const Planned& step, const std::string& before, const std::string& key);

  const Registry& registry_;
  Cache cache_;
  mutable std::mutex mutex_;
  std::map<std::string, Memory> memory_; ///< by step id
};

} // namespace lumsk::recipe
