// Walls by zones, and what is repeated: `parts_bench [ROUNDS] [repeats]`. Prints medians of steps that are computed anew, scaled so that OCCT's loft of 8
// sections counts 11 ms, and what the judge of zones finds at places of their walls.
#include "bench/stopwatch.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/closest.h"
#include "support/solids.h"

#include <cstdio>
#include <cstdlib>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Median of a step's own seconds over fresh evaluations; what fails is said.
double millisecondsOf(Bench& b, const std::string& step, int rounds) {
  std::vector<double> ms;
  for (int i = 0; i < rounds; ++i) {
    b.model.reset();
    b.evaluator = std::make_unique<recipe::Evaluator>(steps::registry());
    b.run();
    if (b.result(step).problem) {
      std::printf("%s: %s\n", step.c_str(), sentence(*b.result(step).problem).c_str());
      return -1;
    }
    ms.push_back(1000 * b.result(step).seconds);
  }
  std::sort(ms.begin(), ms.end());
  return ms[ms.size() / 2];
}

/// A skin of 240 by 200 mm with ellipses of 30 by 24 above it.
struct Tray {
  Bench b;
  std::string skin;
  std::vector<std::string> rings;
  Tray() {
    json sections = json::array();
    const double ys[] = {-100, -40, 30, 100};
    for (int k = 0; k < 4; ++k)
      sections.push_back(pick(spline(b, {{{-120, ys[k], 4 * std::sin(double(k))}}, {{-35, ys[k] + 2, 22.0 + 3 * k}}, {{40, ys[k] - 3, 20.0 - 2 * k}}, {{120, ys[k], 2.0 * k}}})));
    skin = b.add("loft", {{"sections", sections}});
    for (int i = 0; i < 12; ++i)
      rings.push_back(b.add("ring", {{"shape", "ellipse"}, {"width", 30}, {"depth", 24}, {"x", -80 + 53 * (i % 4)}, {"y", -60 + 60 * (i / 4)}, {"height", 60}, {"turn", 13 * i}}));
  }
  std::string wall(size_t many, const char* how) {
    json zones = json::array();
    for (size_t i = 0; i < many; ++i) {
      json z = pick(rings[i]);
      z["value"] = i % 2 ? 3 + 0.2 * double(i) : 1.2, z["how"] = how, z["width"] = 5;
      zones.push_back(z);
    }
    return b.add("thicken", {{"skin", picks({pick(skin, "skin")})}, {"thickness", 2}, {"zones", zones}});
  }
};

void zones(int rounds, double scale) {
  for (const char* how : {"step", "straight", "tangent", "curvature"})
    for (size_t many : {size_t(1), size_t(11), size_t(12)}) {
      Tray t;
      const auto wall = t.wall(many, how);
      const double ms = millisecondsOf(t.b, wall, rounds);
      double worst = 0;
      int places = 0;
      const nurbs::Surface& skin = *t.b.body(t.skin)->natural.begin()->second.surface;
      const auto solid = t.b.body(wall);
      const auto all = brep::faces(*solid);
      for (size_t i = 0; i < all.size() && solid->solid(); ++i)
        if (solid->faceNames[i].find(".back(") != std::string::npos)
          for (const Vec3& p : brep::pointsInside(all[i], 8)) {
            const double mm = nurbs::closestPoint(skin, p).distanceMm;
            double best = std::abs(mm - 2);
            for (size_t k = 0; k < many; ++k) best = std::min(best, std::abs(mm - (k % 2 ? 3 + 0.2 * double(k) : 1.2)));
            bool between = false; // on a transition any thickness is right
            for (size_t k = 0; k < many; ++k) {
              const double x = -80 + 53 * double(k % 4), y = -60 + 60 * double(k / 4), a = radFromDeg(13 * double(k));
              const double u = std::cos(a) * (p.x() - x) + std::sin(a) * (p.y() - y), v = std::cos(a) * (p.y() - y) - std::sin(a) * (p.x() - x);
              between = between || std::abs(std::hypot(u / 15, v / 12) - 1) < 0.4;
            }
            if (between) continue;
            worst = std::max(worst, best), ++places;
          }
      std::printf("%zu zones, %s: %.0f ms (scaled %.0f), solid %d, walls within %.5f mm at %d places\n", many, how, ms, ms * scale, int(solid->solid()), worst, places);
    }
}

void repeats(int rounds, double scale) {
  const auto say = [&](const char* what, Bench& b, const std::string& step) {
    const double ms = millisecondsOf(b, step, rounds);
    std::printf("%s: %.0f ms (scaled %.0f)\n", what, ms, ms * scale);
  };
  json out = json::array();
  for (int k = 0; k < 10; ++k) out.push_back({{"id", std::to_string(3 + 5 * k)}, {"out", true}});
  for (const char* as : {"copies", "one"}) {
    Bench b;
    const bool one = std::string(as) == "one";
    const auto leaf = prism(b, block(one ? 12 : 5, 4, 60, 0), 12); // as one body they reach into the hub
    const auto hub = prism(b, disc(112), 12);
    const auto round = b.add("repeat", {{"what", picks({pick(leaf, "solid")})}, {"way", "round"}, {"count", 60}, {"changes", out}, {"as", one ? "add" : "copies"}, {"bodies", picks({pick(hub, "solid")})}});
    say(one ? "60 round an axis, 10 left out, added to a hub" : "60 round an axis, 10 left out, as copies", b, round);
  }
  Bench b = tumbler(); // a freeform body, a freeform cutter
  const auto bead = b.add("ring", {{"shape", "superellipse"}, {"width", 5}, {"depth", 3}, {"x", 34}, {"height", 40}}), end = b.add("ring", {{"shape", "ellipse"}, {"width", 3}, {"depth", 2}, {"x", 36}, {"height", 70}});
  const auto cutter = b.add("loft", {{"sections", picks({pick(bead), pick(end)})}, {"solid", true}});
  const auto round = b.add("repeat", {{"what", picks({pick(cutter, "solid")})}, {"way", "round"}, {"count", 40}, {"as", "cut"}, {"bodies", picks({pick("s6", "solid")})}});
  say("a freeform cut 40 times round a freeform body", b, round);
}

} // namespace

int main(int argc, char** argv) {
  const int rounds = argc > 1 ? std::atoi(argv[1]) : 20;
  const double scale = bench::scaleOfRun();
  if (argc < 3) zones(rounds, scale);
  repeats(rounds, scale);
}
