// Four-sided patches between freeform neighbours whose shapes are fixed here: what is left of a wavy form of 160 mm
// around a hole with bent edges, natural ones (lines of the form) and trimmed ones. Orders 1 to 3; beside OCCT's
// constrained filling and filling, and SISL's blending patch. Figures are measured by this file: the worst over 50
// places of every edge. OCCT's loft of 8 sections is the yardstick of the run.
#include "yardstick.h"

#include "brep/convert.h"
#include "nurbs/patch/boundary.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/reshape/match.h"
#include "nurbs/network/shape_net.h"
#include "nurbs/on_skin/surface_curves.h"
#include "shapes/vessels.h"

#include <Adaptor3d_CurveOnSurface.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepLib.hxx>
#include <BRepOffsetAPI_MakeFilling.hxx>
#include <BRep_Tool.hxx>
#include <Geom2dAPI_Interpolate.hxx>
#include <Geom2dAdaptor_Curve.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <GeomAdaptor_Surface.hxx>
#include <GeomFill_BoundWithSurf.hxx>
#include <GeomFill_ConstrainedFilling.hxx>
#include <Geom_BSplineSurface.hxx>
#include <TColgp_HArray1OfPnt2d.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <benchmark/benchmark.h>
#include <sisl.h>

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

/// The hole: its edges in the form's parameters, each from corner to corner, around.
struct Hole {
  explicit Hole(bool trimmed) : bulge(trimmed ? 0.06 : 0.0) {
    corners = trimmed ? std::array<Vec2, 4>{Vec2(0.2, 0.22), Vec2(0.78, 0.18), Vec2(0.8, 0.8), Vec2(0.24, 0.76)}
                      : std::array<Vec2, 4>{Vec2(0.2, 0.2), Vec2(0.78, 0.2), Vec2(0.78, 0.8), Vec2(0.2, 0.8)};
  }
  Vec2 at(int k, double t) const {
    const Vec2 a = corners[size_t(k)], b = corners[size_t(k + 1) % 4], n(-(b - a).y(), (b - a).x());
    return a + t * (b - a) + bulge * 4 * t * (1 - t) * n;
  }
  std::array<Vec2, 4> corners;
  double bulge;
};

struct Case {
  explicit Case(bool trimmed) : hole(trimmed) {
    if (!trimmed) {
      const Surface inside =
          portion(*whole, hole.corners[0].x(), hole.corners[2].x(), hole.corners[0].y(), hole.corners[2].y());
      for (const Spline& line : {inside.isoV(inside.firstV()), inside.isoU(inside.lastU()), inside.isoV(inside.lastV()),
                                 inside.isoU(inside.firstU())})
        edges.push_back(*Path::make({line}, {0.001}));
      return;
    }
    for (int k = 0; k < 4; ++k) {
      Points p(101, 3);
      for (int i = 0; i <= 100; ++i) {
        const Vec2 x = hole.at(k, i / 100.0);
        p.row(i) = whole->at(x.x(), x.y()).transpose();
      }
      InterpolationOptions o;
      o.degree = 5;
      edges.push_back(*Path::make({*interpolate(p, o)}, {0.001}));
    }
  }
  Neighbour neighbour() const {
    return [this](const Vec3& p) -> std::optional<NeighbourPlace> {
      const auto f = near.foot(p);
      NeighbourPlace n{{}, f.normal, f.distanceMm};
      whole->derivatives(f.uv.x(), f.uv.y(), 3, n.d);
      return n;
    };
  }
  std::shared_ptr<const Surface> whole = std::make_shared<const Surface>(test::wavyForm(14, 0.1));
  NearestOnSurface near{*whole};
  Hole hole;
  std::vector<Path> edges;
};

/// Neighbours beyond the hole's natural edges that bend as they like between its corners, where they agree: parts of
/// the form whose rows next to the edge are moved, but not beside the corners.
struct Unrelated {
  Unrelated() {
    const Vec2 low = form.hole.corners[0], high = form.hole.corners[2];
    const Surface& w = *form.whole;
    parts = {portion(w, low.x(), high.x(), 0, low.y()), portion(w, high.x(), 1, low.y(), high.y()),
             portion(w, low.x(), high.x(), high.y(), 1), portion(w, 0, low.x(), low.y(), high.y())};
    for (size_t k = 0; k < 4; ++k) {
      Surface& s = parts[k];
      const bool alongU = k % 2 == 0, atLast = k == 0 || k == 3;
      const int along = alongU ? s.sizeU() : s.sizeV(), across = alongU ? s.sizeV() : s.sizeU();
      for (int i = 3; i + 3 < along; ++i)
        for (int row : {1, 2}) {
          const int j = atLast ? across - 1 - row : row;
          s.point(alongU ? i : j, alongU ? j : i) += Eigen::RowVector3d(0, 0, 0.25 * row * (k % 2 ? 1 : -1));
        }
      near.push_back(std::make_shared<NearestOnSurface>(s));
    }
  }
  Neighbour neighbour(size_t k) const {
    return [this, k](const Vec3& p) -> std::optional<NeighbourPlace> {
      const auto f = near[k]->foot(p);
      NeighbourPlace n{{}, f.normal, f.distanceMm};
      parts[k].derivatives(f.uv.x(), f.uv.y(), 3, n.d);
      return n;
    };
  }
  Case form{false};
  std::vector<Surface> parts;
  std::vector<std::shared_ptr<NearestOnSurface>> near;
};

/// The worst of a patch against its neighbours along the hole's edges.
void measure(benchmark::State& state, const Case& c, const Surface& patch,
             const std::function<Neighbour(size_t)>& neighbour) {
  const NearestOnSurface on(patch);
  double gap = 0;
  SkinJoin worst;
  for (size_t k = 0; k < 4; ++k)
    for (int i = 1; i < 50; ++i) {
      const Vec2 x = c.hole.at(int(k), i / 50.0), next = c.hole.at(int(k), i / 50.0 + 1e-4);
      const Vec3 p = c.whole->at(x.x(), x.y()), along = c.whole->at(next.x(), next.y()) - p;
      const auto f = on.foot(p);
      gap = std::max(gap, f.distanceMm);
      SurfaceDerivatives d;
      patch.derivatives(f.uv.x(), f.uv.y(), 3, d);
      worst.take(joinWith(*neighbour(k)(p), 3, d, along.normalized(), 1 / (10 * 130.0)), {});
    }
  state.counters["points"] = patch.controlPoints();
  state.counters["gap_um"] = gap * 1000;
  state.counters["angle_mdeg"] = worst.angleDeg * 1000;
  state.counters["curvature_percent"] = worst.curvature * 100;
  state.counters["rate_percent"] = worst.rate * 100;
}
void measure(benchmark::State& state, const Case& c, const Surface& patch) {
  measure(state, c, patch, [&](size_t) { return c.neighbour(); });
}

constexpr Meets kOrders[4] = {Meets::G0, Meets::G1, Meets::G2, Meets::G3};

void lumskUnrelated(benchmark::State& state) {
  const Unrelated u;
  std::vector<BoundaryEdge> edges;
  for (size_t k = 0; k < 4; ++k) edges.push_back({u.form.edges[k], kOrders[state.range(0)], u.neighbour(k), 1.0});
  Expected<BoundaryResult> r;
  for (auto _ : state) r = boundary(edges, {}, {});
  if (!r) return state.SkipWithError(r.error().code.c_str());
  measure(state, u.form, r->surface, [&](size_t k) { return u.neighbour(k); });
  state.counters["corners"] = double(r->corners.size());
}

void lumskPatch(benchmark::State& state) {
  const Case c(state.range(1) != 0);
  std::vector<BoundaryEdge> edges;
  for (const Path& p : c.edges) edges.push_back({p, kOrders[state.range(0)], c.neighbour(), 1.0});
  Expected<BoundaryResult> r;
  for (auto _ : state) r = boundary(edges, {}, {});
  if (!r) return state.SkipWithError(r.error().code.c_str());
  measure(state, c, r->surface);
}

/// The form, and the hole's edges on it.
Handle(Geom_BSplineSurface) kernelForm(const Case& c) { return brep::toSurface(*c.whole); }
Handle(Geom2d_BSplineCurve) kernelEdge(const Case& c, int k) {
  Handle(TColgp_HArray1OfPnt2d) p = new TColgp_HArray1OfPnt2d(1, 41);
  for (int i = 0; i <= 40; ++i) {
    const Vec2 x = c.hole.at(k, i / 40.0);
    p->SetValue(i + 1, gp_Pnt2d(x.x(), x.y()));
  }
  Geom2dAPI_Interpolate made(p, false, 1e-9);
  made.Perform();
  return made.Curve();
}

void occtConstrained(benchmark::State& state) {
  const Case c(state.range(0) != 0);
  Handle(GeomAdaptor_Surface) on = new GeomAdaptor_Surface(kernelForm(c));
  Handle(Geom_BSplineSurface) made;
  for (auto _ : state) {
    GeomFill_ConstrainedFilling fill(8, 8);
    std::array<Handle(GeomFill_Boundary), 4> b;
    for (int k = 0; k < 4; ++k) {
      Handle(Geom2dAdaptor_Curve) curve = new Geom2dAdaptor_Curve(kernelEdge(c, k));
      b[size_t(k)] = new GeomFill_BoundWithSurf(Adaptor3d_CurveOnSurface(curve, on), 1e-4, 1e-4);
    }
    fill.Init(b[0], b[1], b[2], b[3]);
    made = fill.Surface();
  }
  measure(state, c, *brep::toSurface(made, false));
}

void occtFilling(benchmark::State& state) {
  const Case c(state.range(1) != 0);
  const Handle(Geom_BSplineSurface) form = kernelForm(c);
  const TopoDS_Face face = BRepBuilderAPI_MakeFace(form, 1e-6);
  Handle(Geom_BSplineSurface) made;
  for (auto _ : state) {
    BRepOffsetAPI_MakeFilling fill;
    for (int k = 0; k < 4; ++k) {
      const TopoDS_Edge e = BRepBuilderAPI_MakeEdge(kernelEdge(c, k), form);
      TopoDS_Edge with3d = e;
      BRepLib::BuildCurve3d(with3d);
      fill.Add(with3d, face, state.range(0) == 1 ? GeomAbs_G1 : GeomAbs_G2);
    }
    fill.Build();
    if (!fill.IsDone()) return state.SkipWithError("no patch");
    made = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(TopoDS::Face(fill.Shape())));
  }
  if (made.IsNull()) return state.SkipWithError("no surface");
  measure(state, c, *brep::toSurface(made, false));
}

/// SISL's blending patch from curves and cross derivatives, which we give: in the form's tangent planes, from the
/// direction of the one neighbouring edge to that of the other.
void sislPatch(benchmark::State& state) {
  const Case c(state.range(0) != 0);
  constexpr int kPlaces = 60;
  std::vector<double> t;
  for (int i = 0; i <= kPlaces; ++i) t.push_back(double(i) / kPlaces);
  const auto rate = [&](int k, double x) { // of an edge
    const double h = 1e-5, a = std::max(0.0, x - h), b = std::min(1.0, x + h);
    const Vec2 p = c.hole.at(k, a), q = c.hole.at(k, b);
    return Vec3((c.whole->at(q.x(), q.y()) - c.whole->at(p.x(), p.y())) / (b - a));
  };
  std::vector<SISLCurve*> curves;
  for (int k = 0; k < 4; ++k) {
    const bool back = k > 1; // opposite edges run in the same direction
    const Vec3 first = -rate((k + 3) % 4, 1), last = rate((k + 1) % 4, 0);
    Rows place(kPlaces + 1, 3), across(kPlaces + 1, 3);
    for (int i = 0; i <= kPlaces; ++i) {
      const double x = back ? 1 - t[size_t(i)] : t[size_t(i)];
      const Vec2 uv = c.hole.at(k, x);
      const Vec3 n = c.whole->normal(uv.x(), uv.y()), d = (1 - x) * first + x * last;
      place.row(i) = c.whole->at(uv.x(), uv.y()).transpose();
      across.row(i) = ((k == 0 || k == 3 ? 1.0 : -1.0) * (d - d.dot(n) * n)).transpose();
    }
    for (const Rows& rows : {place, across}) {
      auto made = *interpolateRows(t, rows, 5, Rows(0, 3), Rows(0, 3));
      curves.push_back(newCurve(int(made.controls.rows()), 6, made.knots.data(), made.controls.data(), 1, 3, 1));
    }
  }
  int counts[4] = {2, 2, 2, 2};
  SISLSurf* made = nullptr;
  for (auto _ : state) {
    if (made) freeSurf(made);
    int status = 0;
    s1390(curves.data(), &made, counts, &status);
  }
  for (SISLCurve* curve : curves) freeCurve(curve);
  if (!made) return state.SkipWithError("no patch");
  const int nu = made->in1, nv = made->in2;
  Points grid(nu * nv, 3);
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j < nv; ++j)
      grid.row(i * nv + j) = Eigen::Map<const Eigen::RowVector3d>(made->ecoef + 3 * (j * nu + i));
  const Surface patch = Surface::trusted(made->ik1 - 1, made->ik2 - 1, Knots(made->et1, made->et1 + nu + made->ik1),
                                         Knots(made->et2, made->et2 + nv + made->ik2), grid, false);
  freeSurf(made);
  measure(state, c, patch);
}

/// The upper half of the form, moved away and bent, brought back to the lower half.
void lumskMatch(benchmark::State& state) {
  const Surface form = test::wavyForm(14, 0.1), below = portion(form, 0, 1, 0, 0.5);
  Surface above = portion(form, 0, 1, 0.5, 1);
  for (int i = 0; i < above.sizeU(); ++i)
    for (int j = 0; j < above.sizeV(); ++j)
      above.point(i, j) += Eigen::RowVector3d(0.1 * std::sin(2.0 * i), 0.8, 1.5 + 0.3 * std::cos(1.0 * i + j));
  const int order = int(state.range(0));
  const SideLine own(above, FirstV), its(below, LastV);
  Expected<MatchResult> r;
  for (auto _ : state) r = matchSides(above, {{FirstV, order, ontoSide(its, own)}}, {}, {});
  if (!r) return state.SkipWithError(r.error().code.c_str());
  const MatchedSide& side = r->sides[0];
  state.counters["points"] = r->surface.controlPoints();
  state.counters["rows"] = r->insertedAcross + r->insertedAlong;
  state.counters["before_um"] = side.gapBeforeMm * 1000;
  state.counters["gap_um"] = side.gapMm * 1000;
  state.counters["angle_mdeg"] = side.join.angleDeg * 1000;
  state.counters["curvature_percent"] = side.join.curvature * 100;
  state.counters["rate_percent"] = side.join.rate * 100;
}

/// A point of a net of 13 x 13, dragged.
void lumskShapeNet(benchmark::State& state) {
  const Surface form = test::wavyForm(14, 0.1);
  ShapeNetOptions o;
  o.locks.fill(2);
  o.falloff = 2;
  o.smoothMm = state.range(0) ? 0.5 : 0.0;
  ShapedNet made;
  for (auto _ : state) made = shapedNet(form, {{6, 6, {0, 0, 5}}}, o);
  state.counters["points"] = double(made.points.size());
}

} // namespace

BENCHMARK(bench::occtLoft8)->Unit(benchmark::kMillisecond);
BENCHMARK(lumskPatch)->ArgsProduct({{0, 1, 2, 3}, {0, 1}})->Unit(benchmark::kMillisecond);
BENCHMARK(sislPatch)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(lumskUnrelated)->DenseRange(1, 3)->Unit(benchmark::kMillisecond);
BENCHMARK(lumskMatch)->DenseRange(0, 3)->Unit(benchmark::kMillisecond);
BENCHMARK(lumskShapeNet)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(occtConstrained)->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(occtFilling)->Args({1, 1})->Args({2, 1})->Unit(benchmark::kMillisecond)->Iterations(2);

int main(int argc, char** argv) {
  return bench::runWithRatios(argc, argv,
                              {{"lumskPatch/1/0", "occtConstrained/0"},
                               {"lumskPatch/1/1", "occtConstrained/1"},
                               {"lumskPatch/1/1", "occtFilling/1/1"},
                               {"lumskPatch/2/1", "occtFilling/2/1"},
                               {"lumskPatch/1/0", "sislPatch/0"},
                               {"lumskPatch/1/1", "sislPatch/1"}});
}
