// The kettle: everything from nothing, and one step of a drag (the side point of the waist outline moved; light steps only, then all).
#include "exchange/project.h"
#include "inspect/state.h"
#include "recipe/evaluator.h"
#include "scene/scene.h"
#include "steps/registry.h"

#include <benchmark/benchmark.h>
#include <nlohmann/json.hpp>

using namespace lumsk;

namespace {

recipe::Recipe kettle() { return exchange::readProject(LUMSK_DATA_DIR "/demos/pell_kettle.lumsk")->recipe; }

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
  auto points = (*r.find("s3")->inputs)["points"], side = (*r.find("s7")->inputs)["points"];
  points[2]["at"][0] = side[2]["at"][0] = 62;
  r = r.withStep(recipe::withInput(*r.find("s3"), "points", points));
  r = r.withStep(recipe::withInput(*r.find("s7"), "points", side));
  recipes[1] = state.range(0) == 1 ? std::make_shared<const recipe::Recipe>(r) : recipes[0];
  recipe::EvaluateOptions o;
  for (int i : {0, 1}) o.previous = evaluator.evaluate(recipes[i], o);
  int i = 0;
  for (auto _ : state) o.previous = evaluator.evaluate(recipes[i++ % 2], o);
}

/// range(0): 1 light steps only and the moving mesh, 0 everything and the fine mesh.
void dragStep(benchmark::State& state) {
  recipe::Recipe r = kettle();
  recipe::Evaluator evaluator(steps::registry());
  recipe::EvaluateOptions o;
  o.previous = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), {});
  o.lightOnly = state.range(0) == 1;
  auto scene = scene::draw(*o.previous, scene::Quality::Fine, nullptr);
  auto points = (*r.find("s3")->inputs)["points"], side = (*r.find("s7")->inputs)["points"];
  double width = 62;
  for (auto _ : state) {
    width += 0.01;
    points[2]["at"][0] = side[2]["at"][0] = width;
    r = r.withStep(recipe::withInput(*r.find("s3"), "points", points));
    r = r.withStep(recipe::withInput(*r.find("s7"), "points", side));
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
BENCHMARK(dragStep)->Arg(1)->Arg(0)->Unit(benchmark::kMillisecond);
BENCHMARK(measureBody)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
