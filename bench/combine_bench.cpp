// Solids combined: made-up ones that cross, touch, are flush, coincide over an area or nearly, and many at once; added, cut
// and what they have in common. Right by volumes that rays find, refused, or wrong. combine_bench HOW-MANY SEED
#include "brep/combine.h"
#include "stopwatch.h"
#include "inspect/state.h"
#include "shapes/cut_cases.h"
#include "shapes/ray_volume.h"

#include <map>

using namespace lumsk;

int main(int argc, char** argv) {
  const int many = argc > 1 ? std::atoi(argv[1]) : 50;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  const double scale = bench::scaleOfRun();
  struct Count {
    int right = 0, refused = 0, wrong = 0;
    double worst = 0, slowest = 0;
  };
  std::map<std::string, Count> counts;
  std::vector<double> ms;
  for (const test::CombineCase& c : test::combineCases(many, seed)) {
    std::vector<brep::SolidMesh> meshes;
    std::vector<brep::BodyPtr> all{c.target};
    all.insert(all.end(), c.tools.begin(), c.tools.end());
    double whole = 0;
    for (const auto& b : all) {
      meshes.push_back(*brep::exportMesh(*b, {0.0005, 3}, {}));
      whole = std::max(whole, inspect::stateOf(*b).volumeMm3);
    }
    const auto any = [](const std::vector<char>& in) { return std::any_of(in.begin() + 1, in.end(), [](char x) { return x; }); };
    const auto truth = test::rayVolumes(meshes, 1400, {[&](const auto& in) { return in[0] || any(in); }, [&](const auto& in) { return in[0] && !any(in); },
                                                      [&](const auto& in) { return in[0] && any(in); }});
    for (const auto how : {brep::Combine::Add, brep::Combine::Cut, brep::Combine::Common}) {
      Expected<std::vector<brep::BodyPtr>> made = std::vector<brep::BodyPtr>{};
      const double took = bench::msOf([&] { made = brep::combinedHere(c.target, c.tools, how, {}); });
      ms.push_back(took * scale);
      Count& n = counts[c.kind];
      n.slowest = std::max(n.slowest, took * scale);
      if (!made) {
        ++n.refused;
        std::printf("%s, %s: %s%s\n", c.kind.c_str(), brep::combineName(how), sentence(made.error()).c_str(), made.error().where.empty() ? " NO PLACE" : "");
        continue;
      }
      double volume = 0;
      bool good = true;
      for (const auto& b : *made) {
        const auto s = inspect::stateOf(*b);
        volume += s.volumeMm3;
        good = good && s.solid && s.valid && s.openEdges == 0 && s.largestToleranceMm <= 0.01;
      }
      const double off = std::abs(volume - truth[size_t(how)]) / whole;
      n.worst = std::max(n.worst, off);
      if (good && off < 1e-4)
        ++n.right;
      else
        ++n.wrong, std::printf("%s, %s: WRONG by %.2e%s\n", c.kind.c_str(), brep::combineName(how), off, good ? "" : ", not a sound solid");
    }
  }
  for (const auto& [kind, n] : counts)
    std::printf("%s: %d right, %d refused, %d wrong; volumes within %.1e, slowest %.0f ms\n", kind.c_str(), n.right, n.refused, n.wrong, n.worst, n.slowest);
  std::sort(ms.begin(), ms.end());
  std::printf("median %.0f ms, slowest %.0f ms (scaled)\n", ms[ms.size() / 2], ms.back());
}
