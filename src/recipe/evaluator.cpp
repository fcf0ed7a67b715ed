#include "recipe/evaluator.h"

#include "brep/guard.h"
#include "recipe/needs.h"

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

/// Changed with every change of what a construction gives: results kept in project files are then computed again.
constexpr const char* kKernelVersion = "kernel-19";

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

/// All that a step's result depends on besides its inputs, as text.
std::string beforeOf(const StepEntry& entry, const std::vector<int>& needs, const Uses& uses, const Model& soFar) {
  std::string out = fmt::format("{}|{}|{}", entry.kind, entry.version, tolerancesKey(soFar.recipe->tolerances));
  for (int i : needs) {
    const std::string& id = soFar.recipe->steps[i]->id;
    out += fmt::format("|{} {}", id, soFar.result(id)->key);
  }
  if (!uses.names.empty()) {
    const Names names = soFar.namesBefore(entry.id);
    for (const std::string& name : uses.names)
      if (const auto v = names.find(name); v != names.end())
        out += fmt::format("|{} {} {}", name, v->second.value, int(v->second.dimension));
  }
  for (const std::string& hash : uses.files) out += fmt::format("|{} {}", hash, soFar.recipe->imports.count(hash));
  return out;
}

double secondsSince(std::chrono::steady_clock::time_point begin) {
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

/// The last good outcome of a step, kept while it cannot be computed.
void keepLastGood(StepResult& r, const std::string& id, const ModelPtr& previous) {
  if (!previous) return;
  if (const StepResult* old = previous->result(id)) r.outcome = old->outcome;
}

} // namespace

double Evaluator::lastSeconds(const std::string& id) const {
  const std::lock_guard lock(mutex_);
  const auto it = memory_.find(id);
  return it == memory_.end() ? 0.0 : it->second.seconds;
}

namespace {

/// Names that are measured in a recipe and the places of the steps that measure them, first to last.
using MeasuredAt = std::map<std::string, std::vector<int>>;

/// A measurement's name that cannot be used, or one that is used before it is measured. `at` is the step's place.
std::optional<Problem> namingProblem(const Recipe& recipe, int at, const Uses& uses, const Schema& schema,
                                     const Names& numbers, const MeasuredAt& measured) {
  for (const std::string& name : uses.measures) {
    const auto field = std::find_if(schema.begin(), schema.end(), [](const Field& f) { return f.namesMeasurement; });
    if (auto ok = checkName(name); !ok) return ok.error().inField(field->key);
    const std::vector<int>& places = measured.at(name);
    const bool taken = numbers.count(name) || std::any_of(places.begin(), places.end(), [&](int i) {
                         return i < at && recipe.steps[i]->on;
                       });
    if (taken)
      return problem("LM-R025", "there is a number '" + name + "' already")
          .inField(field->key)
          .tryThis("choose another name");
  }
  for (const std::string& name : uses.names) {
    const auto places = measured.find(name);
    if (numbers.count(name) || places == measured.end() || places->second.front() < at) continue;
    const int by = places->second.back();
    return problem("LM-R024", "'" + name + "' is measured by " +
                                  (by == at ? "this very step"
                                            : "'" + recipe.steps[by]->label + "', which comes later"))
        .tryThis("move that step up, or use a number");
  }
  return {};
}

} // namespace

/// Reads what is new of a recipe; the rest was read before.
std::vector<Evaluator::Planned> Evaluator::planned(const Recipe& recipe, const Names& numbers) {
  std::vector<Planned> out(recipe.steps.size());
  std::map<std::string, int> placeOf;
  MeasuredAt measured;
  {
    const std::lock_guard lock(mutex_);
    for (size_t i = 0; i < out.size(); ++i) {
      const StepPtr& s = out[i].entry = recipe.steps[i];
      placeOf[s->id] = int(i);
      Memory& m = memory_[s->id];
      if (m.inputs != s->inputs || m.kind != s->kind || !m.uses) {
        m.uses = std::make_shared<const Uses>(usesOf(*s, registry_));
        m.inputs = s->inputs;
        m.kind = s->kind;
      }
      out[i].uses = m.uses;
      for (const std::string& name : m.uses->measures) measured[name].push_back(int(i));
    }
    for (auto m = memory_.begin(); m != memory_.end();) m = placeOf.count(m->first) ? std::next(m) : memory_.erase(m);
  }
  for (size_t i = 0; i < out.size(); ++i) {
    Planned& p = out[i];
    const auto need = [&](int j) {
      if (std::find(p.needs.begin(), p.needs.end(), j) == p.needs.end()) p.needs.push_back(j);
    };
    for (const std::string& id : p.uses->steps) {
      const auto at = placeOf.find(id);
      if (at != placeOf.end() && at->second < int(i))
        need(at->second);
      else
        p.lost = true;
    }
    for (const std::string& name : p.uses->names)
      if (const auto at = measured.find(name); at != measured.end())
        for (int j : at->second)
          if (j < int(i)) need(j);
    p.misnamed = namingProblem(recipe, int(i), *p.uses, registry_.schemaOf(p.entry->kind), numbers, measured);
  }
  return out;
}

/// Marks the steps that a drag's picture needs most: what is dragged, the bodies that are seen and what they are made of,
/// and what takes next to no time. All of them where nothing is dragged.
std::vector<char> Evaluator::comeFirst(const std::vector<Planned>& steps, const EvaluateOptions& o) const {
  constexpr double kNothing = 0.002; // seconds
  std::vector<char> out(steps.size(), 1);
  if (!o.lightOnly || !o.previous) return out;
  std::set<std::string> shown;
  for (const BodyEntry& b : o.previous->bodies)
    if (b.visible) shown.insert(b.step);
  // What is dragged itself follows the hand, whatever needs it.
  const auto& before = o.previous->recipe->steps;
  for (size_t i = 0; i < steps.size(); ++i)
    if (i >= before.size() || before[i] != steps[i].entry) shown.insert(steps[i].entry->id);
  for (size_t i = steps.size(); i-- > 0;)
    if (shown.count(steps[i].entry->id))
      for (int j : steps[i].needs) shown.insert(steps[j].entry->id);
  for (size_t i = 0; i < steps.size(); ++i) {
    const std::string& id = steps[i].entry->id;
    out[i] = shown.count(id) || (light(id, kNothing) && std::all_of(steps[i].needs.begin(), steps[i].needs.end(),
                                                                    [&](int j) { return out[j]; }));
  }
  return out;
}

/// A step that ran but once ran cold: if it nearly was light, it is given another try.
bool Evaluator::light(const std::string& id, double seconds) const {
  constexpr double kCold = 4.0;
  const std::lock_guard lock(mutex_);
  const auto it = memory_.find(id);
  return it == memory_.end() || it->second.expected < (it->second.runs < 2 ? kCold : 1.0) * seconds;
}

void Evaluator::took(const std::string& id, double seconds, bool now) {
  constexpr double kGrowth = 1.3; // a run, where inputs have grown
  const std::lock_guard lock(mutex_);
  Memory& m = memory_[id];
  m.seconds = seconds;
  if (!now && m.runs > 0) return;
  m.expected = m.runs > 0 ? std::min(seconds, kGrowth * m.expected) : seconds;
  m.runs += now;
}

std::string Evaluator::keyKnown(const Planned& step, const std::string& before) const {
  const std::lock_guard lock(mutex_);
  const auto m = memory_.find(step.entry->id);
  if (m == memory_.end()) return {};
  for (const Read& r : m->second.read)
    if (r.inputs == step.entry->inputs && r.before == before) return r.key;
  return {};
}

void Evaluator::keepKey(const Planned& step, const std::string& before, const std::string& key) {
  constexpr size_t kMost = 8; // as many turns of undo and redo are recognised without reading
  const std::lock_guard lock(mutex_);
  auto& read = memory_[step.entry->id].read;
  read.insert(read.begin(), {step.entry->inputs, before, key});
  if (read.size() > kMost) read.pop_back();
}

/// Whatever reading a step's inputs throws is a problem of that step alone.
StepResult Evaluator::runSafely(const Planned& step, const Model& soFar, const EvaluateOptions& o) {
  std::string why = "for an unknown reason";
  try {
    return run(step, soFar, o);
  } catch (const std::exception& e) {
    why = e.what();
  } catch (...) {
  }
  StepResult r;
  r.status = Status::Failed;
  r.problem = failedInside(step.entry->label, why);
  keepLastGood(r, step.entry->id, o.previous);
  return r;
}

StepResult Evaluator::run(const Planned& planned, const Model& soFar, const EvaluateOptions& o) {
  const StepEntry& entry = *planned.entry;
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
  for (int i : planned.needs) {
    const StepResult* before = soFar.result(soFar.recipe->steps[i]->id);
    if (before && (before->status == Status::Failed || before->status == Status::Stale)) {
      r.status = Status::Stale;
      if (before->outcome || !o.lightOnly) keepLastGood(r, entry.id, o.previous);
      return r;
    }
  }
  if (soFar.numbersProblem) return failed(*soFar.numbersProblem);
  if (planned.misnamed) return failed(*planned.misnamed);
  const std::string before = planned.lost ? std::string() : beforeOf(entry, planned.needs, *planned.uses, soFar);
  r.key = before.empty() ? std::string() : keyKnown(planned, before);
  std::optional<Inputs> inputs;
  const auto read = [&]() -> Expected<void> {
    LUMSK_TRY(in, Inputs::resolve(entry, registry_.schemaOf(entry.kind), *soFar.recipe, soFar.namesBefore(entry.id), soFar));
    inputs = std::move(in);
    return {};
  };
  if (r.key.empty()) {
    if (auto ok = read(); !ok) return failed(ok.error());
    r.key = hashOf(fmt::format("{}|{}|{}|{}|{}|{}", kKernelVersion, entry.kind, step->version, entry.id,
                               tolerancesKey(soFar.recipe->tolerances), inputs->fingerprint()));
    if (!before.empty()) keepKey(planned, before, r.key);
  }
  if (const auto known = cache_.find(r.key)) {
    took(entry.id, r.seconds = known->seconds, false);
    if (known->problem) return failed(*known->problem);
    r.outcome = known->outcome;
    r.status = Status::Ok;
    return r;
  }
  if (o.lightOnly && !light(entry.id, o.lightSeconds)) {
    // What comes before it is fresh and is shown instead, so that the skin follows the drag; only a heavy step that is
    // dragged itself keeps its last good shape.
    const StepEntry* old = o.previous ? o.previous->recipe->find(entry.id) : nullptr;
    if (old && old->inputs != entry.inputs) keepLastGood(r, entry.id, o.previous);
    return r;
  }
  if (!inputs) // known by its key, though what came of it was dropped
    if (auto ok = read(); !ok) return failed(ok.error());
  Context cx;
  cx.tolerances = soFar.recipe->tolerances;
  cx.cancel = o.cancel;
  if (o.progress) cx.progress = [&](double f, const std::string& words) { o.progress(f, entry.label + ": " + words); };
  const auto start = std::chrono::steady_clock::now();
  auto outcome = computeSafely(*step, *inputs, cx);
  took(entry.id, r.seconds = secondsSince(start), true);
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
  const std::vector<Planned> steps = planned(*recipe, model->numbers);
  const std::vector<char> soon = comeFirst(steps, o);
  // Levels of steps that do not wait for one another; those that can wait come after all others.
  std::vector<int> level(n, 0);
  int levels = 0, firstOnes = 0;
  for (bool now : {true, false}) {
    for (int i = 0; i < n; ++i) {
      if (bool(soon[i]) != now) continue;
      level[i] = now ? 0 : firstOnes;
      for (int j : steps[i].needs) level[i] = std::max(level[i], level[j] + 1);
      levels = std::max(levels, level[i] + 1);
    }
    if (now) firstOnes = levels;
  }
  const auto begin = std::chrono::steady_clock::now();
  static tbb::task_arena arena(std::max(1, int(std::thread::hardware_concurrency()) - 1));
  for (int l = 0; l < levels; ++l) {
    std::vector<int> now;
    for (int i = 0; i < n; ++i)
      if (level[i] == l) now.push_back(i);
    std::vector<StepResult> results(now.size());
    arena.execute([&] {
      tbb::parallel_for(size_t(0), now.size(), [&](size_t k) {
        const StepEntry& entry = *recipe->steps[now[k]];
        const bool late = o.lightOnly && l >= firstOnes && secondsSince(begin) > o.lightSeconds;
        if (late || o.cancel.cancelled())
          keepLastGood(results[k], entry.id, o.previous);
        else
          results[k] = runSafely(steps[now[k]], *model, o);
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

const Step* Registry::madeByClick(Kind wanted, Kind clicked) const {
  for (const Step& s : steps_)
    if (s.byClick && has(wanted, s.byClick->makes) && has(s.byClick->from, clicked)) return &s;
  return nullptr;
}

const Schema& Registry::schemaOf(const std::string& kind) const {
  static const Schema none;
  const auto it = schemas_.find(kind);
  return it == schemas_.end() ? none : it->second;
}

} // namespace lumsk::recipe
