#pragma once
#include "brep/convert.h"
#include "shapes/vessels.h"

#include <BRepOffsetAPI_ThruSections.hxx>
#include <TopoDS_Wire.hxx>
#include <benchmark/benchmark.h>
#include <cstdio>
#include <map>
#include <string>
#include <utility>
#include <vector>

namespace lumsk::bench {

/// The yardstick of a run: OCCT's loft of 8 sections.
inline void occtLoft8(benchmark::State& state) {
  std::vector<TopoDS_Wire> wires;
  for (const nurbs::Section& s : test::formSections(8)) wires.push_back(brep::toWire(*s.path()));
  for (auto _ : state) {
    BRepOffsetAPI_ThruSections loft(false, false, 1e-6);
    for (const auto& w : wires) loft.AddWire(w);
    loft.Build();
  }
}

/// Keeps the times that were measured, all in ms: medians where runs are repeated.
class KeepingReporter : public benchmark::ConsoleReporter {
public:
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& r : runs) {
      const bool median = r.run_type == Run::RT_Aggregate && r.aggregate_name == "median";
      if (median || (r.run_type == Run::RT_Iteration && r.repetitions <= 1))
        ms[r.run_name.function_name + (r.run_name.args.empty() ? "" : "/" + r.run_name.args)] = r.GetAdjustedRealTime();
    }
    ConsoleReporter::ReportRuns(runs);
  }
  std::map<std::string, double> ms;
};

/// Runs all benches; then prints their times scaled so that the yardstick counts 11 ms, and what each of `pairs` takes
/// beside its library.
inline int runWithRatios(int argc, char** argv, const std::vector<std::pair<std::string, std::string>>& pairs) {
  benchmark::Initialize(&argc, argv);
  if (benchmark::ReportUnrecognizedArguments(argc, argv)) return 1;
  KeepingReporter reporter;
  benchmark::RunSpecifiedBenchmarks(&reporter);
  const auto yard = reporter.ms.find("bench::occtLoft8");
  if (yard == reporter.ms.end()) return 0;
  std::printf("\nOCCT's loft of 8 sections took %.2f ms; scaled so that it takes 11 ms:\n", yard->second);
  for (const auto& [name, ms] : reporter.ms) {
    std::printf("%-24s %8.2f ms", name.c_str(), ms / yard->second * 11);
    for (const auto& [own, other] : pairs)
      if (own == name && reporter.ms.count(other)) std::printf(", %.2f of %s", ms / reporter.ms[other], other.c_str());
    std::printf("\n");
  }
  return 0;
}

} // namespace lumsk::bench
