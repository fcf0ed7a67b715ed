// Blends between made-up skins, judged by code that does not make them: `blend_bench [PER_KIND] [SEED]`. Prints what is
// good, told (the result says that a join is missed), refused (by code) and wrong, control points, wrinkles and times, scaled so
// that OCCT's loft of 8 sections counts 11 ms.
#include "brep/convert.h"
#include "shapes/blend_cases.h"

#include <BRepOffsetAPI_ThruSections.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <map>

using namespace lumsk;
using namespace lumsk::nurbs;

int main(int argc, char** argv) {
  const int perKind = argc > 1 ? std::atoi(argv[1]) : 10;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  const Tolerances tol;
  std::vector<TopoDS_Wire> wires;
  for (const Section& s : test::formSections(8)) wires.push_back(brep::toWire(*s.path()));
  std::vector<double> lofts;
  for (int i = 0; i < 20; ++i) {
    const auto before = std::chrono::steady_clock::now();
    BRepOffsetAPI_ThruSections loft(false, false, 1e-6);
    for (const auto& w : wires) loft.AddWire(w);
    loft.Build();
    lofts.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count());
  }
  std::sort(lofts.begin(), lofts.end());
  const double scale = 11 / lofts[10];
  std::printf("OCCT's loft of 8 sections: %.1f ms; times are multiplied by %.2f\n", lofts[10], scale);
  int good = 0, told = 0, wrong = 0;
  std::map<std::string, int> refused;
  for (int kind = 0; kind < 8; ++kind)
    for (int order = 1; order <= 3; ++order) {
      test::BlendCases cases(seed + 100 * unsigned(kind) + unsigned(order));
      std::vector<double> ms, points, wrinkles;
      for (int i = 0; i < perKind; ++i) {
        const test::BlendCase c = kind == 7 ? test::BlendCases::reference(order) : cases.make(kind, order);
        const auto before = std::chrono::steady_clock::now();
        const auto r = blend(c.sides, {}, {});
        ms.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count());
        if (!r) {
          ++refused[r.error().code];
          std::printf("%s G%d %d: %s\n", c.name.c_str(), order, i, sentence(r.error()).c_str());
          continue;
        }
        const test::BlendJudged j = test::judged(c, *r, order);
        points.push_back(j.points), wrinkles.push_back(j.wrinkles / j.besideWrinkles);
        const bool holds = j.gapMm <= tol.point.mm && j.join.worst(tol) <= 1;
        const bool says = r->sides[0].join.worst(tol) > 1 || r->sides[1].join.worst(tol) > 1 ||
                          std::max(r->sides[0].gapMm, r->sides[1].gapMm) > tol.point.mm;
        ++(holds ? good : says ? told : wrong);
        if (!holds)
          std::printf("%s G%d %d: %s gap %.5f, %.4f degree, %.3f %%, rate %.3f %%, %d points\n", c.name.c_str(), order, i,
                      says ? "told" : "WRONG", j.gapMm, j.join.angleDeg, 100 * j.join.curvature, 100 * j.join.rate, j.points);
      }
      const auto middle = [](std::vector<double> x) {
        if (x.empty()) return 0.0;
        std::sort(x.begin(), x.end());
        return x[x.size() / 2];
      };
      std::printf("-- kind %d G%d: median %.0f points, %.1f ms, wrinkles %.2f of the neighbours', most %.2f\n", kind, order,
                  middle(points), scale * middle(ms), middle(wrinkles), wrinkles.empty() ? 0 : *std::max_element(wrinkles.begin(), wrinkles.end()));
    }
  std::printf("%d good, %d told, %d wrong", good, told, wrong);
  for (const auto& [code, n] : refused) std::printf(", %d refused with %s", n, code.c_str());
  std::printf("\n");
  return wrong > 0;
}
