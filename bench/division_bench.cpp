// Made-up trims and splits of all kinds, judged by code that did not make them: `division_bench [PER_KIND] [SEED] [KIND]`, or `division_bench N SEED solids`.
// Prints what is good, refused and wrong by kind, times and control points of edges, beside the geometry kernel's splitter.
#include "shapes/cut_cases.h"

#include "brep/skin.h"
#include "brep/split/dividers.h"

#include <BRepAlgoAPI_Splitter.hxx>
#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineCurve.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <gp_Pln.hxx>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <map>

using namespace lumsk;

namespace {

double now() {
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

struct Tally {
  int tried = 0, good = 0, refused = 0, wrong = 0;
  std::vector<double> ms;
};

double median(std::vector<double> v) {
  if (v.empty()) return 0;
  std::sort(v.begin(), v.end());
  return v[v.size() / 2];
}

int controlPoints(const brep::Body& b) {
  int n = 0;
  const auto all = brep::edges(b);
  for (size_t k = 0; k < all.size(); ++k) {
    if (b.edgeNames[k].find("|cut:") == std::string::npos) continue;
    double x, y;
    if (const auto c = Handle(Geom_BSplineCurve)::DownCast(BRep_Tool::Curve(all[k], x, y)); !c.IsNull()) n += c->NbPoles();
  }
  return n;
}

struct KernelWay {
  int points = 0;
  double ms = 0;
};

/// The same cut by the kernel's splitter, as it comes: control points of the new edges, and the time.
std::optional<KernelWay> byKernel(const test::CutCase& c) {
  nurbs::Extent box;
  for (const Vec3& p : brep::boxCorners(c.target->shape)) box.low = box.low.cwiseMin(p), box.high = box.high.cwiseMax(p);
  TopTools_ListOfShape arguments, tools;
  arguments.Append(c.target->shape);
  for (const brep::Divider& d : c.dividers) {
    auto made = d.plane ? brep::split::asBody(*d.plane, box, {}) : d.path ? brep::split::curtain(*d.path, *d.direction, box, {}) : Expected<brep::BodyPtr>(d.body);
    if (!made) return {};
    tools.Append((*made)->shape);
  }
  const double before = now();
  BRepAlgoAPI_Splitter op;
  op.SetArguments(arguments);
  op.SetTools(tools);
  op.SetNonDestructive(true);
  op.Build();
  if (!op.IsDone()) return {};
  KernelWay out;
  out.ms = now() - before;
  for (const TopoDS_Shape& e : op.SectionEdges()) {
    double a, b;
    if (const auto s = Handle(Geom_BSplineCurve)::DownCast(BRep_Tool::Curve(TopoDS::Edge(e), a, b)); !s.IsNull()) out.points += s->NbPoles();
  }
  return out;
}

} // namespace

int main(int argc, char** argv) {
  const int perKind = argc > 1 ? std::atoi(argv[1]) : 21;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  const std::string only = argc > 3 ? argv[3] : "";
  std::map<std::string, Tally> kinds;
  Tally all;
  int points = 0, ours = 0, kernels = 0;
  std::vector<double> kernelMs, oursMs;
  const bool solids = only == "solids";
  for (const test::CutCase& c : solids ? test::solidCases(perKind, seed) : test::cutCases(perKind, seed)) {
    if (!only.empty() && !solids && c.kind != only) continue;
    Tally& t = kinds[c.kind];
    brep::DivisionOptions o;
    o.reachMm = c.reachMm;
    const double before = now();
    std::string what;
    bool refused = false;
    auto division = brep::Division::of({c.target}, c.dividers, o, {});
    std::vector<brep::BodyPtr> pieces;
    if (division) {
      auto made = (*division)->bodies(std::vector<char>((*division)->pieces().size(), 1), true, true, {});
      if (made)
        for (auto& b : *made) pieces.push_back(b.body);
      else
        refused = true, what = sentence(made.error());
    } else {
      refused = true, what = sentence(division.error());
    }
    const double ms = now() - before;
    t.ms.push_back(ms), all.ms.push_back(ms);
    ++t.tried, ++all.tried;
    if (!refused) what = test::wrongWith(c, pieces);
    const bool named = refused && division.has_value() == false && !division.error().where.empty();
    if (refused && c.mayRefuse && named) {
      ++t.refused, ++all.refused;
      if (!only.empty()) std::printf("%-14s refused, rightly: %s\n", c.name.c_str(), what.c_str());
    } else if (!refused && what.empty()) {
      ++t.good, ++all.good;
      int mine = 0;
      for (const auto& p : pieces) mine += controlPoints(*p);
      points += mine;
      // Kinds on which the kernel ends by itself.
      if (c.kind == "clean" || c.kind == "several" || c.kind == "seam" || c.kind == "faces" || c.kind == "trimmed")
        if (const auto k = byKernel(c)) ours += mine, kernels += 2 * k->points, kernelMs.push_back(k->ms), oursMs.push_back(ms);
    } else if (refused) {
      ++t.refused, ++all.refused;
      std::printf("%-14s refused: %s\n", c.name.c_str(), what.c_str());
    } else {
      ++t.wrong, ++all.wrong;
      std::printf("%-14s WRONG: %s\n", c.name.c_str(), what.c_str());
    }
  }
  for (auto& [kind, t] : kinds)
    std::printf("%-12s tried %3d good %3d refused %3d wrong %3d  median %6.1f ms most %7.1f ms\n", kind.c_str(), t.tried, t.good,
                t.refused, t.wrong, median(t.ms), *std::max_element(t.ms.begin(), t.ms.end()));
  std::printf("all          tried %3d good %3d refused %3d wrong %3d  median %6.1f ms most %7.1f ms  edge points %d\n", all.tried,
              all.good, all.refused, all.wrong, median(all.ms), *std::max_element(all.ms.begin(), all.ms.end()), points);
  if (kernels > 0)
    std::printf("beside the kernel's splitter (clean, several, seam, faces, trimmed): %.3f of its control points in new edges; median %.1f and %.1f ms\n",
                double(ours) / kernels, median(oursMs), median(kernelMs));
  return all.wrong > 0;
}
