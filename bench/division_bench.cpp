// Made-up trims and splits of all kinds, judged by code that did not make them: `division_bench [PER_KIND] [SEED] [KIND]`, or `division_bench N SEED solids`.
// Prints what is good, refused and wrong by kind, times and control points of edges, beside the geometry kernel's splitter.
#include "shapes/cut_cases.h"

#include "brep/skin.h"

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

} // namespace

int main(int argc, char** argv) {
  const int perKind = argc > 1 ? std::atoi(argv[1]) : 21;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  const std::string only = argc > 3 ? argv[3] : "";
  std::map<std::string, Tally> kinds;
  Tally all;
  int points = 0;
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
      for (const auto& p : pieces) points += controlPoints(*p);
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
  return all.wrong > 0;
}
