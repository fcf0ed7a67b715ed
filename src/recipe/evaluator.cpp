#include "recipe/evaluator.h"

#include "brep/guard.h"
#include "recipe/needs.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <thread>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

/// Changed with every change of what a construction gives: results kept in project files are then computed again.
constexpr const char* kKernelVersion = "kernel-10";

std::string tolerancesKey(const Tolerances& t) {
  return fmt::format("{} {} {} {}", t.point.mm, t.fit.mm, t.angle.deg, t.curvature.relative);
}

Problem failedInside(const std::string& label, const std::string& why) {
  return problem("LM-R030", "the step '" + label + "' failed inside (" + why + ")")
      .tryThis("change its inputs a little, and tell us");
}

/// Nothing is thrown across a layer: what a step should not have thrown becomes a problem that names it.
Expected<Outcome> computeSafely(const Step& step, const Inputs& inputs, const Context& cx) {
  try {
    return step.compute(inputs, cx);
  } catch (const Standard_Failure& e) { // the kernel's exceptions are of a family of their own
    return fail(brep::kernelProblem(("the step '" + step.label + "'").c_str(), e));
  } catch (const std::exception& e) {
    return fail(failedInside(step.label, e.what()));
  } catch (...) {
    return fail(failedInside(step.label, "for an unknown reason"));
  }
}

/// Problems that say what the machine could not do just then, not what is wrong with the inputs.
bool passing(const Problem& p) { return isCancelled(p) || p.code.rfind("LM-W", 0) == 0; }

/// Remedies for other steps are offered by the names of parts: those that the step has no such field for go.
void dropVainRemedies(Problem& p, const Recipe& recipe, const Registry& registry) {
  const auto vain = [&](const Remedy& r) {
    if (r.step.empty()) return false;
    const StepEntry* s = recipe.find(r.step);
    const Field* f = s ? findField(registry.schemaOf(s->kind), r.field) : nullptr;
    return !f || std::none_of(f->options.begin(), f->options.end(), [&](const Option& o) { return o.key == r.value; });
  };
  p.remedies.erase(std::remove_if(p.remedies.begin(), p.remedies.end(), vain), p.remedies.end());
}

/// The last good outcome of a step, kept while it cannot be computed.
void keepLastGood(StepResult& r, const std::string& id, const ModelPtr& previous) {
  if (!previous) return;
  if (const StepResult* old = previous->result(id)) r.outcome = old->outcome;
}

} // namespace

double Evaluator::lastSeconds(const std::string& id) const {
  const std::lock_guard lock(mutex_);
  const auto it = seconds_.find(id);
  return it == seconds_.end() ? 0.0 : it->second;
}

/// A measurement's name that cannot be used, or one that is used before it is measured.
std::optional<Problem> Evaluator::namingProblem(const StepEntry& entry, const Model& soFar) const {
  const auto& schema = registry_.schemaOf(entry.kind);
  for (const std::string& name : measuredNames(*entry.inputs, schema)) {
    const auto field = std::find_if(schema.begin(), schema.end(), [](const Field& f) { return f.namesMeasurement; });
    if (auto ok = checkName(name); !ok) return ok.error().inField(field->key);
    bool taken = soFar.numbers.count(name);
    for (const StepPtr& s : soFar.recipe->steps) {
      if (s->id == entry.id) break;
      taken = taken || (s->on && measures(*s, name));
    }
    if (taken)
      return problem("LM-R025", "there is a number '" + name + "' already")
          .inField(field->key)
          .tryThis("choose another name");
  }
  const std::vector<std::string> used = namesUsedBy(entry, registry_);
  for (auto s = soFar.recipe->steps.rbegin(); !used.empty() && s != soFar.recipe->steps.rend(); ++s) {
    for (const std::string& name : used)
      if (!soFar.numbers.count(name) && measures(**s, name))
        return problem("LM-R024",
                       "'" + name + "' is measured by " +
                           ((*s)->id == entry.id ? "this very step" : "'" + (*s)->label + "', which comes later"))
            .tryThis("move that step up, or use a number");
    if ((*s)->id == entry.id) break;
  }
  return {};
}

bool Evaluator::measures(const StepEntry& s, const std::string& name) const {
  const auto names = measuredNames(*s.inputs, registry_.schemaOf(s.kind));
  return std::find(names.begin(), names.end(), name) != names.end();
}

/// Whatever reading a step's inputs throws is a problem of that step alone.
StepResult Evaluator::runSafely(const StepEntry& entry, const std::vector<std::string>& needs, const Model& soFar,
                                const EvaluateOptions& o) {
  std::string why = "for an unknown reason";
  try {
    return run(entry, needs, soFar, o);
  } catch (const std::exception& e) {
    why = e.what();
  } catch (...) {
  }
  StepResult r;
  r.status = Status::Failed;
  r.problem = failedInside(entry.label, why);
  keepLastGood(r, entry.id, o.previous);
  return r;
}

StepResult Evaluator::run(const StepEntry& entry, const std::vector<std::string>& needs, const Model& soFar,
                          const EvaluateOptions& o) {
  StepResult r;
  const auto failed = [&](Problem p) {
    r.status = isCancelled(p) ? Status::Stale : Status::Failed;
    if (!isCancelled(p)) {
      dropVainRemedies(p, *soFar.recipe, registry_);
      r.problem = std::move(p);
    }
    keepLastGood(r, entry.id, o.previous);
    return r;
  };
  if (!entry.on) {
    r.status = Status::Off;
    return r;
  }
  const Step* step = registry_.find(entry.kind);
  if (!step)
    return failed(problem("LM-R001", "this Lumsk has no step '" + entry.kind + "'")
                      .tryThis("update Lumsk; the step is kept as it is"));
  if (entry.version > step->version)
    return failed(problem("LM-R002", "this step was made by a newer Lumsk").tryThis("update Lumsk"));
  // What waits for a failed or stale step is itself stale, not failed: one mark at the culprit is enough.
  for (const std::string& id : needs) {
    const StepResult* before = soFar.result(id);
    if (before && (before->status == Status::Failed || before->status == Status::Stale)) {
      r.status = Status::Stale;
      if (before->outcome || !o.lightOnly) keepLastGood(r, entry.id, o.previous);
      return r;
    }
  }
  if (soFar.numbersProblem) return failed(*soFar.numbersProblem);
  if (auto p = namingProblem(entry, soFar)) return failed(std::move(*p));
  auto inputs =
      Inputs::resolve(entry, registry_.schemaOf(entry.kind), *soFar.recipe, soFar.namesBefore(entry.id), soFar);
  if (!inputs) return failed(inputs.error());
  r.key = hashOf(fmt::format("{}|{}|{}|{}|{}|{}", kKernelVersion, entry.kind, step->version, entry.id,
                             tolerancesKey(soFar.recipe->tolerances), inputs->fingerprint()));
  const auto took = [&](double seconds) {
    r.seconds = seconds;
    const std::lock_guard lock(mutex_);
    seconds_[entry.id] = seconds;
  };
  if (const auto known = cache_.find(r.key)) {
    took(known->seconds);
    if (known->problem) return failed(*known->problem);
    r.outcome = known->outcome;
    r.status = Status::Ok;
    return r;
  }
  if (o.lightOnly && lastSeconds(entry.id) >= o.lightSeconds) {
    // What comes before it is fresh and is shown instead, so that the skin follows the drag; only a heavy step that is
    // dragged itself keeps its last good shape.
    const StepEntry* old = o.previous ? o.previous->recipe->find(entry.id) : nullptr;
    if (old && old->inputs != entry.inputs) keepLastGood(r, entry.id, o.previous);
    return r;
  }
  Context cx;
  cx.tolerances = soFar.recipe->tolerances;
  cx.cancel = o.cancel;
  if (o.progress) cx.progress = [&](double f, const std::string& words) { o.progress(f, entry.label + ": " + words); };
  const auto start = std::chrono::steady_clock::now();
  auto outcome = computeSafely(*step, *inputs, cx);
  took(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
  if (!outcome) {
    if (!passing(outcome.error())) cache_.put(r.key, {nullptr, outcome.error(), r.seconds});
    return failed(outcome.error());
  }
  outcome->seconds = r.seconds;
  outcome->marks.add(std::move(inputs->flags));
  for (Problem& note : inputs->notes) outcome->notes.push_back(std::move(note));
  for (Problem& note : outcome->notes) dropVainRemedies(note, *soFar.recipe, registry_);
  auto kept = std::make_shared<const Outcome>(std::move(*outcome));
  cache_.put(r.key, {kept, {}, r.seconds});
  r.outcome = std::move(kept);
  r.status = Status::Ok;
  return r;
}

namespace {

void tellReached(const Model& model, const EvaluateOptions& o) {
  auto soFar = std::make_shared<Model>(model);
  for (const auto& s : soFar->recipe->steps)
    if (!soFar->results.count(s->id)) keepLastGood(soFar->results[s->id], s->id, o.previous);
  collectBodies(*soFar);
  o.reached(soFar);
}

} // namespace

ModelPtr Evaluator::evaluate(RecipePtr recipe, const EvaluateOptions& o) {
  auto model = std::make_shared<Model>();
  model->recipe = recipe;
  if (auto numbers = parameterValues(*recipe))
    model->numbers = *numbers;
  else
    model->numbersProblem = numbers.error();

  const int n = int(recipe->steps.size());
  std::vector<int> level(n, 0);
  std::vector<std::vector<std::string>> needs(n);
  int levels = 0;
  for (int i = 0; i < n; ++i) {
    needs[i] = needsOf(*recipe->steps[i], *recipe, registry_);
    for (const std::string& id : needs[i])
      if (const int j = recipe->indexOf(id); j >= 0 && j < i) level[i] = std::max(level[i], level[j] + 1);
    levels = std::max(levels, level[i] + 1);
  }
  static tbb::task_arena arena(std::max(1, int(std::thread::hardware_concurrency()) - 1));
  for (int l = 0; l < levels; ++l) {
    std::vector<int> now;
    for (int i = 0; i < n; ++i)
      if (level[i] == l) now.push_back(i);
    std::vector<StepResult> results(now.size());
    arena.execute([&] {
      tbb::parallel_for(size_t(0), now.size(), [&](size_t k) {
        const StepEntry& entry = *recipe->steps[now[k]];
        if (o.cancel.cancelled())
          keepLastGood(results[k], entry.id, o.previous);
        else
          results[k] = runSafely(entry, needs[now[k]], *model, o);
      });
    });
    for (size_t k = 0; k < now.size(); ++k) model->results[recipe->steps[now[k]]->id] = std::move(results[k]);
    if (o.reached && l + 1 < levels && !o.cancel.cancelled()) tellReached(*model, o);
  }
  collectBodies(*model);
  return model;
}

const char* stageName(Stage s) {
  static const char* names[kStages] = {"Curves", "Surfaces", "Flow", "Trim", "Solid", "Check", "Deliver"};
  return names[int(s)];
}

Registry::Registry(std::vector<Step> steps) : steps_(std::move(steps)) {
  for (const Step& s : steps_) schemas_[s.kind] = s.schema();
}

const Step* Registry::find(const std::string& kind) const {
  for (const Step& s : steps_)
    if (s.kind == kind) return &s;
  return nullptr;
}

const Schema& Registry::schemaOf(const std::string& kind) const {
  static const Schema none;
  const auto it = schemas_.find(kind);
  return it == schemas_.end() ? none : it->second;
}

} // namespace lumsk::recipe
