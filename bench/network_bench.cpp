// Networks of 4 x 5 and 20 x 20 curves (degrees 3-6, all knots different, shuffled and partly reversed), three-sided
// and pole networks, beside OCCT's plate through the same curves: time, control points, distance from the curves and,
// between them, from the form that they were taken from. OCCT's loft of 8 sections is the yardstick of the run.
#include "yardstick.h"

#include "brep/convert.h"
#include "shapes/networks.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <GeomAdaptor_Curve.hxx>
#include <GeomPlate_BuildPlateSurface.hxx>
#include <GeomPlate_CurveConstraint.hxx>
#include <GeomPlate_MakeApprox.hxx>
#include <GeomPlate_Surface.hxx>
#include <benchmark/benchmark.h>

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

double between(const Surface& s) {
  double worst = 0;
  for (int i = 1; i < 24; ++i)
    for (int j = 1; j < 24; ++j)
      worst = std::max(worst, closestPoint(s, test::smoothForm(i / 24.0, j / 24.0)).distanceMm);
  return worst;
}

void lumskNetwork(benchmark::State& state) {
  const auto curves = test::formNetwork(int(state.range(0)), int(state.range(1)));
  NetworkResult r;
  for (auto _ : state) r = *network(curves, {}, {});
  state.counters["points"] = r.patches[0].surface.controlPoints();
  state.counters["at_um"] = test::curvesOffSkin(curves, r) * 1000;
  state.counters["between_um"] = between(r.patches[0].surface) * 1000;
}

void occtPlate(benchmark::State& state) {
  const auto curves = test::formNetwork(4, 5);
  Handle(Geom_BSplineSurface) surface;
  for (auto _ : state) {
    GeomPlate_BuildPlateSurface plate(3, 15, 3);
    for (const auto& c : curves)
      plate.Add(new GeomPlate_CurveConstraint(
          new GeomAdaptor_Curve(brep::toCurve(std::get<Spline>(c.path.segments()[0]))), 0, 10));
    plate.Perform();
    GeomPlate_MakeApprox approx(plate.Surface(), 1e-4, 9, 8, 1e-4, 0);
    surface = approx.Surface();
  }
  const auto s = brep::toSurface(surface, false);
  double at = 0;
  for (const auto& c : curves)
    for (int k = 0; k <= 40; ++k) at = std::max(at, closestPoint(*s, c.path.at(k / 40.0)).distanceMm);
  state.counters["points"] = s->controlPoints();
  state.counters["at_um"] = at * 1000;
  state.counters["between_um"] = between(*s) * 1000;
}

/// columns over a sector of a dome that meet in its pole, rows around.
void poleNetwork(benchmark::State& state) {
  std::vector<NetworkCurve> curves;
  InterpolationOptions o;
  o.degree = 5;
  const auto along = [&](auto f) {
    Points p(25, 3);
    for (int k = 0; k <= 24; ++k) p.row(k) = f(k / 24.0).transpose();
    curves.push_back({*Path::make({*interpolate(p, o)}, {0.001})});
  };
  const double sector = double(state.range(2)) / 100;
  for (int i = 0; i < state.range(1); ++i)
    along([&](double t) { return test::domePoint(sector * i / double(state.range(1) - 1), t); });
  for (int j = 1; j <= state.range(0); ++j)
    along([&](double t) { return test::domePoint(sector * t, j / double(state.range(0))); });
  NetworkResult r;
  for (auto _ : state) r = *network(curves, {}, {});
  const Surface& s = r.patches[0].surface;
  double turn = 0;
  for (int i = 0; i <= 40; ++i) {
    const double v = s.poleAtFirstV({0.001}) ? 1e-5 : 1 - 1e-5;
    turn = std::max(turn, degFromRad(angleBetweenRad(s.normal(i / 40.0, v), s.normal(0.5, v))));
  }
  state.counters["points"] = s.controlPoints();
  state.counters["at_um"] = test::curvesOffSkin(curves, r) * 1000;
  state.counters["pole_deg"] = turn;
}

BENCHMARK(bench::occtLoft8)->Unit(benchmark::kMillisecond)->Repetitions(20)->ReportAggregatesOnly();
BENCHMARK(lumskNetwork)
    ->Args({4, 5})
    ->Args({5, 4})
    ->Args({20, 20})
    ->Unit(benchmark::kMillisecond)
    ->Repetitions(20)
    ->ReportAggregatesOnly();
BENCHMARK(poleNetwork)
    ->Args({3, 5, 100})
    ->Args({2, 3, 30})
    ->Args({1, 2, 25})
    ->Unit(benchmark::kMillisecond)
    ->Repetitions(20)
    ->ReportAggregatesOnly();
BENCHMARK(occtPlate)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
