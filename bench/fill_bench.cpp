// Fills of made-up rings, judged by code that does not make them: `fill_bench [PER_KIND] [SEED]`. Prints what is good,
// told (the result says that a join is missed), refused (by code) and wrong, control points and times, also scaled so that
// OCCT's loft of 8 sections counts 11 ms; beside OCCT's filling of some of the same rings.
#include "brep/convert.h"
#include "stopwatch.h"
#include "shapes/fill_cases.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRepLib.hxx>
#include <BRepOffsetAPI_MakeFilling.hxx>
#include <BRep_Tool.hxx>
#include <Geom2dAPI_Interpolate.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Standard_Failure.hxx>
#include <TColgp_HArray1OfPnt2d.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <functional>
#include <map>

using namespace lumsk;
using namespace lumsk::nurbs;

namespace {

int good = 0, told = 0, wrong = 0;
std::map<std::string, int> refused;

double scale = 1; ///< of times

using bench::msOf;

/// OCCT's filling of the same ring, its edges given on the form beside them.
void occt(const std::string& kind, int order, const test::FillCase& c, double oursMs) {
  const Handle(Geom_BSplineSurface) form = brep::toSurface(*c.skins.front());
  const TopoDS_Face face = BRepBuilderAPI_MakeFace(form, 1e-6);
  const NearestOnSurface on(*c.skins.front());
  FillResult made;
  double ms = 0;
  try {
    ms = msOf([&] {
      BRepOffsetAPI_MakeFilling filling;
      for (const FillEdge& e : c.ring) {
        Handle(TColgp_HArray1OfPnt2d) p = new TColgp_HArray1OfPnt2d(1, 41);
        for (int i = 0; i <= 40; ++i) {
          const Vec2 uv = on.foot(e.path.at(e.path.last() * i / 40)).uv;
          p->SetValue(i + 1, gp_Pnt2d(uv.x(), uv.y()));
        }
        Geom2dAPI_Interpolate through(p, false, 1e-9);
        through.Perform();
        TopoDS_Edge edge = BRepBuilderAPI_MakeEdge(through.Curve(), form);
        BRepLib::BuildCurve3d(edge);
        filling.Add(edge, face, order == 1 ? GeomAbs_G1 : GeomAbs_G2);
      }
      filling.Build();
      if (!filling.IsDone()) return;
      if (const auto s = brep::toSurface(BRep_Tool::Surface(TopoDS::Face(filling.Shape())), false)) made.surface = *s;
    });
  } catch (const Standard_Failure&) {
  }
  if (made.surface.controlPoints() == 0) {
    std::printf("   OCCT's filling, %s G%d: none\n", kind.c_str(), order);
    return;
  }
  const test::FillJudged j = test::judged(c, made);
  std::printf("   OCCT's filling, %s G%d: %d points, %.0f ms (%.0f times ours), gap %.5f mm, %.4f degree, %.2f %%\n", kind.c_str(), order,
              made.surface.controlPoints(), ms * scale, ms / oursMs, j.gapMm, j.join.angleDeg, 100 * j.join.curvature);
}

void run(const std::string& kind, int order, int times, const std::function<test::FillCase()>& make) {
  const Tolerances tol;
  std::vector<double> ms, points;
  FillOptions options;
  test::FillJudged worst;
  for (int i = 0; i < times; ++i) {
    const test::FillCase c = make();
    const auto before = std::chrono::steady_clock::now();
    const auto r = fill(c.ring, options, {});
    ms.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count());
    if (!r) {
      ++refused[r.error().code];
      std::printf("%s G%d %d: %s\n", kind.c_str(), order, i, sentence(r.error()).c_str());
      continue;
    }
    const test::FillJudged j = test::judged(c, *r);
    points.push_back(r->surface.controlPoints());
    worst.gapMm = std::max(worst.gapMm, j.gapMm);
    worst.join.take(j.join, tol);
    const bool holds = j.gapMm <= tol.point.mm && j.join.worst(tol) <= 1;
    bool says = false;
    for (const auto& e : r->edges) says = says || e.join.worst(tol) > 1 || e.gapMm > tol.point.mm;
    ++(holds ? good : says ? told : wrong);
    if (!holds || !r->corners.empty())
      std::printf("%s G%d %d: %s gap %.5f, %.4f degree, %.3f %%, %d points, %zu corners with zones\n", kind.c_str(), order, i,
                  holds ? "good" : says ? "told" : "WRONG", j.gapMm, j.join.angleDeg, 100 * j.join.curvature, r->surface.controlPoints(), r->corners.size());
  }
  const auto middle = [](std::vector<double> x) {
    if (x.empty()) return 0.0;
    std::sort(x.begin(), x.end());
    return x[x.size() / 2];
  };
  std::printf("-- %s G%d: median %.0f points, %.1f ms; worst gap %.5f mm, %.4f degree, %.3f %%\n", kind.c_str(), order, middle(points), scale * middle(ms),
              worst.gapMm, worst.join.angleDeg, 100 * worst.join.curvature);
}

} // namespace

int main(int argc, char** argv) {
  const int per = argc > 1 ? std::atoi(argv[1]) : 5;
  scale = bench::scaleOfRun();
  test::FillCases cases(argc > 2 ? unsigned(std::atoi(argv[2])) : 1);
  for (int order = 0; order <= 2; ++order) {
    for (int n : {2, 3, 5, 6, 8}) run(std::to_string(n) + " edges", order, per, [&] { return cases.hole(n, order); });
    run("round", order, per, [&] { return cases.round(order, cases.in(0.4, 1)); });
    run("slit 1:30", order, per, [&] { return cases.polygon("slit", {{0.1, 0.49}, {0.9, 0.48}, {0.905, 0.507}, {0.1, 0.517}}, order); });
    run("short edge", order, per, [&] { return cases.polygon("short", {{0.2, 0.2}, {0.8, 0.22}, {0.81, 0.238}, {0.7, 0.8}, {0.25, 0.75}}, order); });
    run("concave", order, per, [&] { return cases.polygon("concave", {{0.2, 0.2}, {0.8, 0.25}, {0.75, 0.8}, {0.5, 0.45}, {0.22, 0.7}}, order); });
    run("half ball", order, per, [&] { return cases.ball(4, order); });
    run("cap", order, per, [&] { return cases.ball(3, order, 0.7); });
    for (int n : {3, 5, 6}) run("unrelated " + std::to_string(n), order, per, [&] { return cases.unrelated(n, order); });
  }
  for (int order : {1, 2})
    for (int n : {3, 6}) {
      const test::FillCase c = cases.hole(n, order);
      occt(std::to_string(n) + " edges", order, c, msOf([&] { (void)fill(c.ring, {}, {}); }));
    }
  std::printf("%d good, %d told, %d wrong", good, told, wrong);
  for (const auto& [code, n] : refused) std::printf(", %d refused with %s", n, code.c_str());
  std::printf("\n");
  return wrong > 0;
}
