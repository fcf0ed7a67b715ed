// Every construction through the same curves, compared: four curves in a ring, four by five that cross, three sections
// with two lines along them. Pictures of the cards come on top of it in the window, whose tray says what all took.
#include "yardstick.h"

#include "recipe/ways.h"
#include "support/recipes.h"

#include <cmath>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Rows along x and columns along y through a grid of places on a made-up lid, which they share where they cross.
struct Crossing {
  Crossing(int rows, int columns) {
    std::vector<std::vector<std::array<double, 3>>> at;
    for (int j = 0; j < rows; ++j) {
      at.emplace_back();
      for (int i = 0; i < columns; ++i) {
        const double u = 2.0 * i / (columns - 1) - 1, v = 2.0 * j / (rows - 1) - 1;
        at.back().push_back({60 * u + 4 * v * v, 45 * v * (1 - 0.12 * u),
                             18 * (1 - u * u * 0.7) * (1 - 0.5 * v * v) + 3 * std::sin(2 * u + v)});
      }
    }
    const auto spline = [&](const std::vector<std::array<double, 3>>& p) {
      curves.push_back(pick(b.add("spline", {{"points", pointList(p)}})));
    };
    for (const auto& row : at) spline(row);
    for (int i = 0; i < columns; ++i) {
      std::vector<std::array<double, 3>> p;
      for (const auto& row : at) p.push_back(row[size_t(i)]);
      spline(p);
    }
    b.run();
  }
  Bench b;
  json curves = json::array();
};

void tryWays(benchmark::State& state) {
  const Crossing c(int(state.range(0)), int(state.range(1)));
  std::vector<recipe::Way> ways;
  for (auto _ : state) ways = recipe::tryWays(c.curves, *c.b.model, steps::registry(), {});
  state.counters["curves"] = double(c.curves.size());
  state.counters["ways"] = double(ways.size());
  state.counters["fit"] = double(std::count_if(ways.begin(), ways.end(), [](const auto& w) { return w.fits(); }));
  state.counters["points_of_best"] = ways.empty() ? 0 : ways[0].figures.controlPoints;
  state.counters["deviation_um"] = ways.empty() ? 0 : 1000 * ways[0].figures.deviationMm;
}

} // namespace

BENCHMARK(bench::occtLoft8)->Unit(benchmark::kMillisecond);
BENCHMARK(tryWays)->Args({2, 2})->Args({4, 5})->Args({3, 2})->Unit(benchmark::kMillisecond)->UseRealTime();

int main(int argc, char** argv) { return bench::runWithRatios(argc, argv, {}); }
