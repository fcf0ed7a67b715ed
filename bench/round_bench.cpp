// Single edges of made-up solids rounded by our own way and by the kernel's fillet alone, judged by code that did not make them: `round_bench [BODIES] [SEED]`.
// Right: a valid closed solid, contacts tangent within 0.01 degree, the ball's centre as far from the body as its radius within 0.005 mm. Prints what is right,
// refused (by code) and wrong, control points and times beside OCCT's.
#include "bench/round_judge.h"
#include "brep/apart.h"
#include "brep/combine.h"
#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/round.h"
#include "brep/round_kernel.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "inspect/joins.h"
#include "nurbs/measure/arc_length.h"
#include "shapes/cut_cases.h"
#include "shapes/offset_cases.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <random>

using namespace lumsk;

namespace {

struct Tally {
  const char* what;
  int right = 0, wrong = 0;
  std::map<std::string, int> refused;
  std::vector<double> ms;
  std::vector<int> points;
  void print() {
    std::sort(ms.begin(), ms.end());
    std::sort(points.begin(), points.end());
    std::printf("%s: %d right, %d wrong", what, right, wrong);
    for (const auto& [code, n] : refused) std::printf(", %d refused with %s", n, code.c_str());
    if (!ms.empty()) std::printf("; median %.0f ms, longest %.0f ms", ms[ms.size() / 2], ms.back());
    if (!points.empty()) std::printf("; control points: median %d, most %d", points[points.size() / 2], points.back());
    std::printf("\n");
  }
};

/// What is wrong with a round of a radius; empty: nothing.
std::string wrongWith(const brep::Body& before, const std::vector<brep::BodyPtr>& sides, const brep::Body& made, const nurbs::Path& edge, double r) {
  const auto isNew = [](const std::string& n) { return n.find("s.round(") != std::string::npos; };
  if (const std::string wrong = bench::unsound(before, made, isNew, true); !wrong.empty()) return wrong;
  const auto all = brep::faces(made);
  double worst = 0;
  int looked = 0;
  for (size_t f = 0; f < all.size(); ++f) {
    if (!isNew(made.faceNames[f])) continue;
    const auto on = brep::BodyFaces::of(made, int(f), {});
    if (!on) return "no face";
    for (const Vec3& p : brep::pointsInside(all[f], 6)) {
      const auto at = on->nearest(p);
      if (!at) continue;
      // Near open ends the ball comes near the faces there.
      if (!edge.closed() && std::min((p - edge.start()).norm(), (p - edge.end()).norm()) < 2.5 * r) continue;
      // On the inside or the outside of the skin, whichever is nearer to being right.
      double off = 1e300;
      for (const double side : {-1.0, 1.0}) {
        double nearest = 1e300; // only the skins beside count: a ball may reach through a thin wall
        for (const auto& skin : sides) nearest = std::min(nearest, test::distanceTo(*skin, at->point + side * r * at->normal));
        off = std::min(off, std::abs(nearest - r));
      }
      worst = std::max(worst, off), ++looked;
    }
  }
  return worst > 0.005 ? "ball off by " + std::to_string(worst) : "";
}

} // namespace

int main(int argc, char** argv) {
  const int bodies = argc > 1 ? std::atoi(argv[1]) : 20;
  const unsigned seed = argc > 2 ? unsigned(std::atoi(argv[2])) : 1;
  std::mt19937 random(seed);
  Tally own{"own"}, kernel{"kernel alone"}, both{"own, else the kernel where it passes"};
  int tried = 0;
  for (const auto& c : test::combineCases(bodies, seed)) {
    if (c.kind == "touching") continue;
    const auto made = brep::combinedHere(c.target, c.tools, c.kind == "flush" ? brep::Combine::Add : brep::Combine::Cut, {});
    if (!made) continue;
    const brep::BodyPtr body = made->front();
    std::vector<int> sharp;
    const auto joins = inspect::joins(*body, {});
    for (int e = 0; e < int(body->edgeNames.size()); ++e)
      for (const auto& j : joins)
        if (j.edge == body->edgeNames[size_t(e)] && j.measured && j.angleDeg > 15 && j.angleDeg < 165) sharp.push_back(e);
    if (sharp.empty()) continue;
    for (int k = 0; k < 3; ++k) {
      const int edge = sharp[random() % sharp.size()];
      const auto path = brep::tangentChain(*body, edge, {1}, {0.001});
      if (!path) continue;
      const double length = nurbs::ArcLength(*path).total();
      if (length < 2) continue;
      const double r = std::round(100 * std::min(length, 20.0) * (0.02 + 0.13 * (random() % 1000) / 1000.0)) / 100;
      if (r < 0.1) continue;
      ++tried;
      std::vector<brep::BodyPtr> beside;
      if (const auto sides = brep::edgeSides(body, *path, {}))
        for (const auto& side : *sides)
          for (auto& part : brep::facesApart(*body, side, false)) beside.push_back(part);
      if (beside.empty()) beside = {body};
      const std::string name = c.kind + " " + std::to_string(tried) + " r " + formatNumber(r, 3) + " " + body->edgeNames[size_t(edge)];
      const auto judge = [&](Tally& t, const Expected<brep::BodyPtr>& done, double ms) {
        t.ms.push_back(ms);
        if (!done) {
          ++t.refused[done.error().code + (done.error().where.empty() ? " without a place" : "")];
          std::printf("%s %s: %s\n", t.what, name.c_str(), sentence(done.error()).c_str());
          return false;
        }
        const std::string wrong = wrongWith(*body, beside, **done, *path, r);
        ++(wrong.empty() ? t.right : t.wrong);
        if (!wrong.empty()) std::printf("%s %s: WRONG %s\n", t.what, name.c_str(), wrong.c_str());
        return wrong.empty();
      };
      const auto timed = [](auto&& f) {
        const auto before = std::chrono::steady_clock::now();
        auto done = f();
        return std::pair(std::move(done), std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count());
      };
      nurbs::RoundOptions o;
      o.size = [r](double) { return r; };
      int points = 0;
      const auto mine = timed([&]() -> Expected<brep::BodyPtr> {
        LUMSK_TRY(rolling, brep::RollingEdge::of(body, *path, 4 * r, {}));
        LUMSK_TRY(done, brep::rounded(body, rolling, o, "s.round(e)", {}));
        for (const auto& s : done.band.surfaces) points += s.controlPoints();
        return done.body;
      });
      const bool right = judge(own, mine.first, mine.second);
      if (points) own.points.push_back(points);
      const auto theirs = timed([&] { return brep::roundedByKernelHere(*body, {{edge, r, "s.round(e)"}}, false, {}); });
      const bool kernelRight = judge(kernel, theirs.first, theirs.second);
      if (right) ++both.right;
      else if (mine.first) ++both.wrong;
      else if (theirs.first && kernelRight) ++both.right;
      else ++both.refused[mine.first.error().code];
    }
  }
  std::printf("%d edges\n", tried);
  for (Tally* t : {&own, &kernel, &both}) t->print();
  return own.wrong > 0;
}
