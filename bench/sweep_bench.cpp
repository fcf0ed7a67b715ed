// Sweeps beside OCCT's pipe shell on the same curves, as far as it can do them: time, control points, deviation. Run with
// --benchmark_repetitions=20; ratios are printed at the end.
#include "yardstick.h"

#include "nurbs/curves/shapes.h"
#include "nurbs/measure/closest.h"
#include "nurbs/sweep/sweep.h"
#include "shapes/rails.h"

#include <BRepOffsetAPI_MakePipeShell.hxx>
#include <BRep_Tool.hxx>
#include <Geom_BSplineSurface.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

using namespace lumsk;
using namespace lumsk::nurbs;
using test::curveThrough, test::spaceCurve, test::squareTo;

namespace {

const Path& rail(int k) {
  static const Path a = curveThrough({{0, 0, 0}, {10, 40, 10}, {0, 90, 15}, {-10, 140, 0}});
  static const Path b = curveThrough({{50, 0, 0}, {70, 45, 0}, {60, 85, 25}, {45, 140, 10}});
  static const Path c = curveThrough({{25, 0, 20}, {40, 42, 24}, {30, 88, 44}, {18, 140, 26}});
  return k == 0 ? a : k == 1 ? b : c;
}
std::vector<Section> arches(int n) {
  std::vector<Section> out;
  for (int i = 0; i < n; ++i) {
    const double f = double(i) / (n - 1);
    const Vec3 p = rail(0).at(rail(0).last() * f), q = rail(1).at(rail(1).last() * f);
    out.push_back({curveThrough({p, 0.7 * p + 0.3 * q + Vec3(0, 0, 14 + 6 * f), 0.25 * p + 0.75 * q + Vec3(0, 1, 10), q})});
  }
  return out;
}

void tell(benchmark::State& state, const SweepResult& r) {
  int points = 0, along = 0;
  for (const auto& f : r.faces) points += f.surface.controlPoints(), along = std::max(along, f.surface.sizeV());
  state.counters["points"] = points;
  state.counters["along"] = along;
  state.counters["off_um"] = r.deviationMm * 1000;
}

void circleAlong(benchmark::State& state) {
  const Path r = spaceCurve();
  const std::vector<Section> profile{{*circle(squareTo(r), 12)}};
  SweepResult made;
  for (auto _ : state) made = *sweep(profile, {r}, {}, {});
  tell(state, made);
}

/// An open wave through seven points.
Path wave() {
  const Frame f = squareTo(spaceCurve());
  return curveThrough({f.at(-9, 0), f.at(-6, 2), f.at(-3, -1), f.at(0, 1), f.at(3, -2), f.at(6, 1), f.at(9, 0)});
}

void waveAlong(benchmark::State& state) {
  const Path r = spaceCurve();
  SweepResult made;
  for (auto _ : state) made = *sweep({{wave()}}, {r}, {}, {});
  tell(state, made);
}

void occtAlong(benchmark::State& state) {
  const Path r = spaceCurve();
  const bool round = state.range(0) == 0;
  const TopoDS_Wire spine = brep::toWire(r), profile = brep::toWire(round ? *circle(squareTo(r), 12) : wave());
  TopoDS_Shape shape;
  for (auto _ : state) {
    BRepOffsetAPI_MakePipeShell pipe(spine);
    pipe.SetMode(false);
    pipe.SetTolerance(1e-4, 1e-4, 1e-3);
    pipe.Add(profile);
    pipe.Build();
    shape = pipe.Shape();
  }
  int points = 0;
  double off = 0;
  for (TopExp_Explorer x(shape, TopAbs_FACE); x.More(); x.Next())
    if (const auto s = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(TopoDS::Face(x.Current())))) {
      points += s->NbUPoles() * s->NbVPoles();
      double u0, u1, v0, v1;
      s->Bounds(u0, u1, v0, v1);
      for (int i = 0; i < 7 && round; ++i)
        for (int j = 1; j < 300; ++j) // a tube about the rail: everything lies at its radius
          off = std::max(off, std::abs(closestPoint(r, brep::toVec(s->Value(u0 + (u1 - u0) * i / 7, v0 + (v1 - v0) * j / 300))).distanceMm - 6));
    }
  state.counters["points"] = points;
  state.counters["off_um"] = off * 1000;
}

void twoRails(benchmark::State& state) {
  const auto profiles = arches(int(state.range(0)));
  SweepResult made;
  for (auto _ : state) made = *sweep(profiles, {rail(0), rail(1)}, {}, {});
  tell(state, made);
}

void threeRails(benchmark::State& state) {
  const std::vector<Section> profile{{curveThrough({rail(0).start(), {10, 0, 13}, rail(2).start(), {38, 0, 14}, rail(1).start()})}};
  SweepResult made;
  for (auto _ : state) made = *sweep(profile, {rail(0), rail(1), rail(2)}, {}, {});
  tell(state, made);
}

void turns(benchmark::State& state) {
  const double n = double(state.range(0)) / 10;
  const Path r = *line({0, 0, 0}, {0, 0, 200}, {1e-3});
  SweepOptions o;
  o.frame.turnDeg = [n](double f) { return 360 * n * f; };
  o.frame.turns = n;
  const std::vector<Section> profile{{*polygon(Frame{}, 12, 4, 1, {1e-3})}};
  SweepResult made;
  for (auto _ : state) made = *sweep(profile, {r}, o, {});
  tell(state, made);
}

BENCHMARK(bench::occtLoft8)->Unit(benchmark::kMillisecond);
BENCHMARK(circleAlong)->Unit(benchmark::kMillisecond);
BENCHMARK(waveAlong)->Unit(benchmark::kMillisecond);
BENCHMARK(occtAlong)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(twoRails)->Arg(2)->Arg(5)->Unit(benchmark::kMillisecond);
BENCHMARK(threeRails)->Unit(benchmark::kMillisecond);
BENCHMARK(turns)->Arg(75)->Arg(300)->Unit(benchmark::kMillisecond);

} // namespace

int main(int argc, char** argv) {
  benchmark::Initialize(&argc, argv);
  bench::KeepingReporter reporter;
  benchmark::RunSpecifiedBenchmarks(&reporter);
  const auto& ms = reporter.ms;
  for (const auto& [own, other] : {std::pair{"circleAlong", "occtAlong/0"}, std::pair{"waveAlong", "occtAlong/1"}})
    if (ms.count(own) && ms.count(other))
      std::printf("%s: %.2f of the time that OCCT takes\n", own, ms.at(own) / ms.at(other));
  return 0;
}
