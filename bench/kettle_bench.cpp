// The kettle: everything from nothing, and one step of a drag (the number of its drawings' waist pulled; light steps only,
// then all).
#include "exchange/project.h"
#include "inspect/state.h"
#include "recipe/evaluator.h"
#include "scene/scene.h"
#include "steps/registry.h"

#include <benchmark/benchmark.h>
#include <nlohmann/json.hpp>

using namespace lumsk;

namespace {

recipe::Recipe kettle() { return exchange::readProject(LUMSK_DATA_DIR "/../tests/files/kettle_of_three.lumsk")->recipe; }

void setWaist(recipe::Recipe& r, double mm) {
  for (auto& p : r.parameters)
    if (p.name == "waist") p.expression = std::to_string(mm);
}

void fromNothing(benchmark::State& state) {
  const auto r = std::make_shared<const recipe::Recipe>(kettle());
  for (auto _ : state) benchmark::DoNotOptimize(recipe::Evaluator(steps::registry()).evaluate(r, {}));
}

/// Nothing is computed: the same recipe again (range 0), or two recipes in turn that differ in the waist (range 1: undo and
/// redo).
void cached(benchmark::State& state) {
  recipe::Recipe r = kettle();
  recipe::Evaluator evaluator(steps::registry());
  recipe::RecipePtr recipes[2] = {std::make_shared<const recipe::Recipe>(r), nullptr};
  setWaist(r, 61);
  recipes[1] = state.range(0) == 1 ? std::make_shared<const recipe::Recipe>(r) : recipes[0];
  recipe::EvaluateOptions o;
  for (int i : {0, 1}) o.previous = evaluator.evaluate(recipes[i], o);
  int i = 0;
  for (auto _ : state) o.previous = evaluator.evaluate(recipes[i++ % 2], o);
}

/// range(0): 1 light steps only and the moving mesh, 0 everything and the fine mesh; range(1): the half body alone.
void dragStep(benchmark::State& state) {
  recipe::Recipe r = kettle();
  if (state.range(1) == 1)
    while (r.steps.back()->id != "s30") r = r.without(r.steps.back()->id);
  recipe::Evaluator evaluator(steps::registry());
  recipe::EvaluateOptions o;
  o.previous = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), {});
  o.lightOnly = state.range(0) == 1;
  auto scene = scene::draw(*o.previous, scene::Quality::Fine, nullptr);
  double width = 62;
  for (auto _ : state) {
    setWaist(r, width += 0.01);
    o.previous = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), o);
    scene = scene::draw(*o.previous, o.lightOnly ? scene::Quality::Moving : scene::Quality::Fine, scene.get());
  }
  state.counters["triangles"] = scene->triangles();
  for (const auto& s : r.steps) state.counters[s->id + s->kind + "_ms"] = evaluator.lastSeconds(s->id) * 1000;
}

/// What the readout strip and the report say of the finished body.
void measureBody(benchmark::State& state) {
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(kettle()), {});
  const auto& body = *model->bodies.front().body;
  for (auto _ : state) {
    benchmark::DoNotOptimize(inspect::stateOf(body));
    benchmark::DoNotOptimize(inspect::joins(body, model->recipe->tolerances));
  }
  state.counters["volume_mm3"] = inspect::stateOf(body).volumeMm3;
  state.counters["area_mm2"] = inspect::stateOf(body).areaMm2;
}

BENCHMARK(fromNothing)->Unit(benchmark::kMillisecond);
BENCHMARK(cached)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(dragStep)->Args({1, 0})->Args({0, 0})->Args({1, 1})->Args({0, 1})->Unit(benchmark::kMillisecond);
BENCHMARK(measureBody)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
