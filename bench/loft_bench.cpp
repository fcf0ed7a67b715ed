// Lofts of 3, 8 and 40 sections (degrees 3-5, 9-13 control points, all knots different) beside OCCT and SISL on the
// same curves: time, control points, deviation at the sections and between them from the form they were taken from.
#include "brep/convert.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/measure/wrinkles.h"
#include "shapes/vessels.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepOffsetAPI_ThruSections.hxx>
#include <BRep_Tool.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <benchmark/benchmark.h>
#include <sisl.h>

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

const std::vector<Section>& sections(int n) {
  static std::map<int, std::vector<Section>> made;
  if (!made.count(n)) made[n] = test::formSections(n);
  return made[n];
}

/// Worst distance of the sections' points and of the form's points from a skin. Of more than 40 sections every tenth.
struct Deviation {
  double at = 0, between = 0;
};
Deviation deviation(int n, const Surface& s) {
  Deviation d;
  for (int i = 0; i<n; i += n> 40 ? 40 : 1)
    for (int k = 0; k <= 24; ++k)
      d.at = std::max(d.at, closestPoint(s, sections(n)[i].path()->at(k / 24.0)).distanceMm);
  for (int i = 1; i < 16; ++i)
    for (int j = 1; j < 24; ++j)
      d.between = std::max(d.between, closestPoint(s, test::smoothForm(i / 16.0, j / 24.0)).distanceMm);
  return d;
}

/// The kernel's surface as one of ours, exactly.
Surface converted(const Handle(Geom_BSplineSurface) & g) {
  Knots U, V;
  for (int i = 1; i <= g->NbUKnots(); ++i) U.insert(U.end(), g->UMultiplicity(i), g->UKnot(i));
  for (int i = 1; i <= g->NbVKnots(); ++i) V.insert(V.end(), g->VMultiplicity(i), g->VKnot(i));
  Points P(g->NbUPoles() * g->NbVPoles(), 3);
  for (int i = 0; i < g->NbUPoles(); ++i)
    for (int j = 0; j < g->NbVPoles(); ++j)
      P.row(i * g->NbVPoles() + j) = brep::toVec(g->Pole(i + 1, j + 1)).transpose();
  return Surface::trusted(g->UDegree(), g->VDegree(), U, V, P, false);
}

void report(benchmark::State& state, int points, const Deviation& d) {
  state.counters["points"] = points;
  state.counters["at_um"] = d.at * 1000;
  state.counters["between_um"] = d.between * 1000;
}

void lumskLoft(benchmark::State& state) {
  const int n = int(state.range(0));
  const auto& s = sections(n);
  LoftResult r;
  for (auto _ : state) r = *loft(s, {}, {});
  report(state, r.strips[0].controlPoints(), deviation(n, r.strips[0]));
}

void occtLoft(benchmark::State& state) {
  const int n = int(state.range(0));
  std::vector<TopoDS_Wire> wires;
  for (const Section& s : sections(n)) wires.push_back(brep::toWire(*s.path()));
  TopoDS_Shape shape;
  for (auto _ : state) {
    BRepOffsetAPI_ThruSections loft(false, false, 1e-6);
    for (const auto& w : wires) loft.AddWire(w);
    loft.Build();
    shape = loft.Shape();
  }
  const auto face = TopoDS::Face(TopExp_Explorer(shape, TopAbs_FACE).Current());
  const auto surface = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(face));
  report(state, surface->NbUPoles() * surface->NbVPoles(), n <= 8 ? deviation(n, converted(surface)) : Deviation{});
}

void sislLoft(benchmark::State& state) {
  const int n = int(state.range(0));
  std::vector<SISLCurve*> curves;
  for (const Section& s : sections(n)) {
    const auto& c = std::get<Spline>(s.path()->segments()[0]);
    curves.push_back(newCurve(c.size(), c.degree() + 1, const_cast<double*>(c.knots().data()),
                              const_cast<double*>(c.points().data()), 1, 3, 1));
  }
  std::vector<int> kinds(n, 1);
  int points = 0;
  for (auto _ : state) {
    SISLSurf* surface = nullptr;
    double* parameters = nullptr;
    int status = 0;
    s1538(n, curves.data(), kinds.data(), 0.0, 1, 4, 0, &surface, &parameters, &status);
    if (surface) points = surface->in1 * surface->in2;
    if (surface) freeSurf(surface);
    std::free(parameters);
  }
  for (auto* c : curves) freeCurve(c);
  state.counters["points"] = points;
}

/// Time alone, for how it grows with the number of sections: run it with --benchmark_enable_random_interleaving.
void loftOf(benchmark::State& state) {
  const auto all = sections(int(state.range(0)));
  for (auto _ : state) benchmark::DoNotOptimize(loft(all, {}, {}));
}
BENCHMARK(loftOf)->Arg(4)->Arg(8)->Arg(16)->Arg(40)->Arg(100)->Arg(400)->Unit(benchmark::kMillisecond);

BENCHMARK(lumskLoft)->Arg(3)->Arg(4)->Arg(8)->Arg(16)->Arg(40)->Arg(100)->Arg(400)->Unit(benchmark::kMillisecond);
BENCHMARK(occtLoft)->Arg(3)->Arg(8)->Unit(benchmark::kMillisecond);
BENCHMARK(occtLoft)->Arg(40)->Iterations(1)->Unit(benchmark::kMillisecond);
BENCHMARK(sislLoft)->Arg(3)->Arg(8)->Arg(40)->Unit(benchmark::kMillisecond);

/// Six sections of a skin, lofted anew so that both ends flow into what is left of it. The argument is the order.
void endsThatFlow(benchmark::State& state) {
  const Surface whole = loft(sections(8), {}, {})->strips[0];
  const auto kept = std::make_shared<const Surface>(whole);
  const auto near = std::make_shared<const NearestOnSurface>(*kept);
  std::vector<Section> inner;
  for (int i = 0; i < 6; ++i) inner.push_back({*Path::make({kept->isoV(0.2 + 0.12 * i)}, {1e-3})});
  LoftOptions o;
  constexpr Meets kinds[4] = {Meets::Free, Meets::G1, Meets::G2, Meets::G3};
  o.start = o.end = LoftEndOptions(kinds[state.range(0)]);
  o.start.neighbour = o.end.neighbour = [&](const Vec3& p) -> std::optional<NeighbourPlace> {
    const auto f = near->foot(p);
    NeighbourPlace n{{}, f.normal, f.distanceMm};
    kept->derivatives(f.uv.x(), f.uv.y(), 3, n.d);
    return n;
  };
  Expected<LoftResult> r;
  for (auto _ : state) r = loft(inner, o, {});
  if (!r) return state.SkipWithError(r.error().code.c_str());
  state.counters["points"] = r->strips[0].controlPoints();
  state.counters["angle_mdeg"] = r->join.angleDeg * 1000;
  state.counters["curvature_percent"] = r->join.curvature * 100;
  state.counters["rate_percent"] = r->join.rate * 100;
}

/// A part of a skin, lofted anew through six of its lines and along some across them; the outer ones flow into what is
/// left of the skin. The arguments: guides, and the order of the join (0: none).
void guidesThatFlow(benchmark::State& state) {
  const auto whole = std::make_shared<const Surface>(loft(sections(8), {}, {})->strips[0]);
  const auto near = std::make_shared<const NearestOnSurface>(*whole);
  const Surface part = portion(*whole, 0.15, 0.85, 0.1, 0.9);
  std::vector<Section> six;
  for (int i = 0; i < 6; ++i) six.push_back({*Path::make({part.isoV(0.2 * i)}, {1e-3})});
  LoftOptions o;
  const int guides = int(state.range(0));
  for (int g = 0; g < guides; ++g) o.guides.push_back(*Path::make({part.isoU(double(g) / (guides - 1))}, {1e-3}));
  constexpr Meets kinds[4] = {Meets::Free, Meets::G1, Meets::G2, Meets::G3};
  o.left = o.right = LoftEndOptions(kinds[state.range(1)]);
  o.left.neighbour = o.right.neighbour = [&](const Vec3& p) -> std::optional<NeighbourPlace> {
    const auto f = near->foot(p);
    NeighbourPlace n{{}, f.normal, f.distanceMm};
    whole->derivatives(f.uv.x(), f.uv.y(), 3, n.d);
    return n;
  };
  Expected<LoftResult> r;
  for (auto _ : state) r = loft(six, o, {});
  if (!r) return state.SkipWithError(r.error().code.c_str());
  double at = 0;
  for (const Section& x : six)
    for (int k = 0; k <= 40; ++k) at = std::max(at, closestPoint(r->strips[0], x.path()->at(k / 40.0)).distanceMm);
  double along = 0;
  for (const Path& x : o.guides)
    for (int k = 0; k <= 40; ++k) along = std::max(along, closestPoint(r->strips[0], x.at(k / 40.0)).distanceMm);
  state.counters["points"] = r->strips[0].controlPoints();
  state.counters["sections_um"] = at * 1000;
  state.counters["guides_um"] = along * 1000;
  state.counters["angle_mdeg"] = r->join.angleDeg * 1000;
  state.counters["curvature_percent"] = r->join.curvature * 100;
}

/// Ten sections through measured points that are off by up to 0.02 mm, relaxed by 0.05 mm; 0: exactly.
void noisySections(benchmark::State& state) {
  std::mt19937 rng(1);
  std::uniform_real_distribution<double> d(-1, 1);
  std::vector<Section> ten;
  for (int i = 0; i < 10; ++i) {
    Points p(41, 3);
    for (int k = 0; k <= 40; ++k)
      p.row(k) =
          (test::smoothForm(k / 40.0, i / 9.0) + 0.02 * Vec3(d(rng), d(rng), d(rng)) / std::sqrt(3.0)).transpose();
    ten.push_back({*Path::make({*interpolate(p, {})}, {0.001})});
  }
  LoftOptions o;
  if (state.range(0)) o.way = LoftWay::Relaxed;
  LoftResult r;
  for (auto _ : state) r = *loft(ten, o, {});
  state.counters["points"] = r.strips[0].controlPoints();
  state.counters["deviation_um"] = r.sectionDeviationMm * 1000;
  state.counters["wrinkle_index"] = wrinkleIndex(r.strips);
}

} // namespace

BENCHMARK(endsThatFlow)->DenseRange(0, 3)->Unit(benchmark::kMillisecond);
BENCHMARK(guidesThatFlow)->ArgsProduct({{2, 4}, {0, 1, 2, 3}})->Unit(benchmark::kMillisecond);
BENCHMARK(noisySections)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK_MAIN();
