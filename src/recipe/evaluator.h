#pragma once
#include "recipe/cache.h"
#include "recipe/step.h"

namespace lumsk::recipe {

struct EvaluateOptions {
  CancelToken cancel;
  ProgressSink progress;
  bool lightOnly = false; ///< during a drag: steps that took `lightSeconds` or more last time stay stale
  double lightSeconds = 0.040;
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
  StepResult runSafely(const StepEntry& entry, const std::vector<std::string>& needs, const Model& soFar,
                       const EvaluateOptions& options);
  StepResult run(const StepEntry& entry, const std::vector<std::string>& needs, const Model& soFar,
                 const EvaluateOptions& options);
  bool measures(const StepEntry& s, const std::string& name) const;
  std::optional<Problem> namingProblem(const StepEntry& entry, const Model& soFar) const;

  const Registry& registry_;
  Cache cache_;
  mutable std::mutex mutex_;
  std::map<std::string, double> seconds_;
};

} // namespace lumsk::recipe
