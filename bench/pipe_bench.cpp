// Pipes as their step makes them: forty side by side, and a basket of 24 wires that cross 80 times, merged in the child
// process. Run with --benchmark_repetitions=20 (the basket: 3).
#include "yardstick.h"

#include "brep/skin.h"
#include "support/recipes.h"

#include <cmath>
#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace {

void computed(benchmark::State& state, Bench& b, const std::string& id) {
  for (auto _ : state) {
    state.PauseTiming();
    b.evaluator = std::make_unique<recipe::Evaluator>(steps::registry()); // remembers nothing
    b.model = nullptr;
    state.ResumeTiming();
    b.run();
  }
  const auto& r = b.result(id);
  if (r.status != recipe::Status::Ok) return state.SkipWithError(r.problem ? sentence(*r.problem).c_str() : "failed");
  state.counters["bodies"] = double(r.outcome->outputs.size());
  state.counters["solid"] = std::all_of(r.outcome->outputs.begin(), r.outcome->outputs.end(),
                                        [](const auto& o) { return std::get<brep::BodyPtr>(o.object)->solid(); });
}

void fortyPipes(benchmark::State& state) {
  Bench b;
  std::mt19937 random(4);
  std::uniform_real_distribution<double> off(-8, 8);
  json paths = json::array();
  for (int i = 0; i < 40; ++i) {
    std::vector<std::array<double, 3>> at;
    for (int k = 0; k < 5; ++k) at.push_back({25.0 * k, 20.0 * i + (k ? 0.3 * off(random) : 0.0), k ? off(random) : 0.0});
    paths.push_back(pick(b.add("spline", {{"points", pointList(at)}})));
    paths.back()["id"] = "p" + std::to_string(i + 1);
  }
  const auto id = b.add("pipe", {{"paths", paths}, {"size", 5}});
  computed(state, b, id);
}

void basket(benchmark::State& state) {
  Bench b;
  json paths = json::array();
  const auto wire = [&](const std::string& id) {
    paths.push_back(pick(id));
    paths.back()["id"] = "p" + std::to_string(paths.size());
  };
  const auto radius = [](double z) { return 30 + 16 * z / 70 - 6 * std::pow(z / 70, 2); };
  for (int i = 0; i < 20; ++i) {
    std::vector<std::array<double, 3>> at;
    for (const double z : {0.0, 23.0, 47.0, 70.0})
      at.push_back({radius(z) * std::cos(2 * kPi * i / 20), radius(z) * std::sin(2 * kPi * i / 20), z});
    wire(b.add("spline", {{"points", pointList(at)}}));
  }
  for (const double z : {8.0, 26.0, 44.0, 62.0}) wire(b.add("ring", {{"width", 2 * radius(z)}, {"height", z}}));
  const auto id = b.add("pipe", {{"paths", paths}, {"size", 2.4}});
  computed(state, b, id);
}

BENCHMARK(bench::occtLoft8)->Unit(benchmark::kMillisecond);
BENCHMARK(fortyPipes)->Unit(benchmark::kMillisecond);
BENCHMARK(basket)->Unit(benchmark::kMillisecond)->Iterations(1);

} // namespace

BENCHMARK_MAIN();
