// Two-view curves of circles and glyphs beside OCCT's section of the same extrusions; blend curves, helices,
// intersections of skins; a network of 12 curves checked with combs as while a point is dragged. OCCT's loft of 8
// sections is the yardstick of the run (loft_bench).
#include "brep/convert.h"
#include "inspect/combs.h"
#include "nurbs/curves/curve_network.h"
#include "nurbs/curves/helix.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/surface_curves.h"
#include "shapes/common_body.h"

#include <BRepAlgoAPI_Section.hxx>
#include <TopExp_Explorer.hxx>
#include <benchmark/benchmark.h>
#include <random>

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

std::pair<View, View> views(int which) {
  const auto circleOf = [](const Frame& f, double d) { return View{{*circle(f, d)}, f}; };
  if (which == 0) return {circleOf(test::kFrontView, 60), circleOf(test::kSideView, 40)};
  if (which == 1) return {circleOf(test::kFrontView, 60), circleOf(test::kSideView, 60)};
  const auto [a, b] = test::glyphPairs()[size_t(which - 2)];
  return {test::glyphView(a, test::kFrontView), test::glyphView(b, test::kSideView)};
}

void lumskTwoView(benchmark::State& state) {
  const auto [a, b] = views(int(state.range(0)));
  TwoViewResult r;
  for (auto _ : state) r = *twoViewCurve(a, b, {}, {});
  int points = 0;
  for (const Path& p : r.branches)
    for (const Segment& s : p.segments()) points += std::holds_alternative<Spline>(s) ? std::get<Spline>(s).size() : 2;
  state.counters["points"] = points;
  state.counters["branches"] = double(r.branches.size());
  state.counters["off_um"] = r.deviationMm * 1000;
}

void occtSection(benchmark::State& state) {
  const auto [a, b] = views(int(state.range(0)));
  const TopoDS_Shape x = test::extruded(a), y = test::extruded(b);
  TopoDS_Shape made;
  for (auto _ : state) made = BRepAlgoAPI_Section(x, y).Shape();
  int points = 0;
  for (TopExp_Explorer e(made, TopAbs_EDGE); e.More(); e.Next()) {
    double f, l;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(TopoDS::Edge(e.Current()), f, l);
    const Handle(Geom_BSplineCurve) s = Handle(Geom_BSplineCurve)::DownCast(c);
    points += s.IsNull() ? 2 : s->NbPoles();
  }
  state.counters["points"] = points;
}

void blend(benchmark::State& state) {
  BlendEnd s, e;
  s.tangent = Vec3(1, 0.2, 0).normalized(), s.second = Vec3(-0.2, 1, 0).normalized() * 0.01, s.third = Vec3(0, 0, 2e-4);
  e.at = {80, 25, 10}, e.tangent = Vec3(0.8, -0.3, 0.2).normalized();
  e.second = Vec3(0.3, 0.8, 0).normalized() * 0.02;
  s.continuity = e.continuity = int(state.range(0));
  for (auto _ : state) benchmark::DoNotOptimize(blendCurve(s, e, {}));
}

void helixOfTurns(benchmark::State& state) {
  HelixOptions o;
  o.radiusMm = o.endRadiusMm = 30, o.turns = double(state.range(0)), o.heightMm = 10 * o.turns;
  Spline h;
  for (auto _ : state) h = *helix(o, {});
  state.counters["points_a_turn"] = h.size() / o.turns;
}

Surface relief(int seed, double wild) {
  std::mt19937 r(seed);
  std::uniform_real_distribution<double> d(-wild, wild);
  const Knots U = uniformKnots(3, 6);
  const auto g = greville(U, 3);
  const int n = int(g.size());
  Points grid(n * n, 3);
  for (int i = 0; i < n; ++i)
    for (int j = 0; j < n; ++j) grid.row(i * n + j) << 100 * g[size_t(i)], 80 * g[size_t(j)], d(r);
  return Surface::trusted(3, 3, U, U, grid, false);
}

void skinsMeet(benchmark::State& state) {
  const Surface a = relief(3, 14), b = relief(1003, 1);
  CurvesOnSurface r;
  for (auto _ : state) {
    const auto other = std::make_shared<NearestOnSurface>(b);
    r = *zeroCurves(a, surfaceField(a, other), 0.0005,
                    [&](const Vec2& uv) { return !other->foot(a.at(uv.x(), uv.y())).beyond; }, {});
  }
  state.counters["branches"] = double(r.curves.size());
}

void planeCuts(benchmark::State& state) {
  const Surface a = relief(3, 14);
  const Frame plane = Frame::fromNormal({50, 40, 0}, {1, 0.3, 0.2});
  for (auto _ : state)
    benchmark::DoNotOptimize(zeroCurves(a, planeField(a, plane), 0.0005, [](const Vec2&) { return true; }, {}));
}

/// What is computed anew at every move of a point: the curve, all crossings, combs of all curves.
void draggedNetwork(benchmark::State& state) {
  std::vector<Points> through;
  for (int k = 0; k < 12; ++k) {
    Points p(5, 3);
    for (int i = 0; i < 5; ++i) {
      const double along = 25.0 * i, across = 20.0 * (k % 6);
      const double x = k < 6 ? along : across, y = k < 6 ? across : along;
      p.row(i) << x, y, 10 * std::sin(x / 30) * std::cos(y / 40);
    }
    through.push_back(p);
  }
  std::vector<Path> curves;
  for (const Points& p : through) curves.push_back(*Path::make({*interpolate(p, {})}, {0.001}));
  size_t crossings = 0, teeth = 0;
  int step = 0;
  for (auto _ : state) {
    through[4](2, 2) = 5 + 0.01 * (++step % 50);
    curves[4] = *Path::make({*interpolate(through[4], {})}, {0.001});
    crossings = crossingsOf(curves, 0.5).size();
    teeth = 0;
    for (const Path& p : curves) teeth += inspect::comb(p, 20, 100).base.size();
  }
  state.counters["crossings"] = double(crossings);
  state.counters["teeth"] = double(teeth);
}

} // namespace

BENCHMARK(lumskTwoView)->DenseRange(0, 11)->Unit(benchmark::kMillisecond);
BENCHMARK(occtSection)->DenseRange(0, 11)->Unit(benchmark::kMillisecond)->Iterations(3);
BENCHMARK(blend)->DenseRange(1, 3)->Unit(benchmark::kMillisecond);
BENCHMARK(helixOfTurns)->Arg(1)->Arg(20)->Arg(200)->Unit(benchmark::kMillisecond);
BENCHMARK(skinsMeet)->Unit(benchmark::kMillisecond);
BENCHMARK(planeCuts)->Unit(benchmark::kMillisecond);
BENCHMARK(draggedNetwork)->Unit(benchmark::kMillisecond);
BENCHMARK_MAIN();
