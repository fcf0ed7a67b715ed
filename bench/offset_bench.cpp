// Offsets by 1 and 2 mm to both sides and walls of made-up trimmed skins and solids, and their cut edges further out, further in and restored, judged by
// code that did not make them: `offset_bench [PER_KIND] [SOLIDS] [SEED]`. Prints what is good, refused (by code) and wrong, control points and times.
#include "brep/extend.h"
#include "brep/offset/offset_body.h"
#include "brep/restore.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "inspect/joins.h"
#include "shapes/offset_cases.h"

#include <BRepGProp.hxx>
#include <GProp_GProps.hxx>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>

using namespace lumsk;

namespace {

struct Tally {
  std::string what;
  int good = 0, wrong = 0;
  std::map<std::string, int> refused;
  std::vector<double> ms;

  /// Runs and times it; nothing where it is refused.
  template <class F> auto run(const std::string& name, F&& f) {
    const auto before = std::chrono::steady_clock::now();
    auto made = f();
    ms.push_back(std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count());
    if (!made) {
      ++refused[made.error().code + (made.error().where.empty() ? " without a place" : "")];
      std::printf("%s %s: %s\n", what.c_str(), name.c_str(), sentence(made.error()).c_str());
    }
    return made;
  }
  void judge(const std::string& name, const std::string& wrongWith) {
    ++(wrongWith.empty() ? good : wrong);
    if (!wrongWith.empty()) std::printf("%s %s: WRONG %s\n", what.c_str(), name.c_str(), wrongWith.c_str());
  }
  void print() {
    std::sort(ms.begin(), ms.end());
    std::printf("%s: %zu tried, %d good, %d wrong", what.c_str(), ms.size(), good, wrong);
    for (const auto& [code, n] : refused) std::printf(", %d refused with %s", n, code.c_str());
    if (!ms.empty()) std::printf("; median %.0f ms, longest %.0f ms", ms[ms.size() / 2], ms.back());
    std::printf("\n");
  }
};

void printRatios(std::vector<double> r, const char* of) {
  if (r.empty()) return;
  std::sort(r.begin(), r.end());
  std::printf("control points by those before, %s: median %.2f, largest %.2f, not more than twice %.0f %%\n", of, r[r.size() / 2], r.back(),
              100.0 * double(std::upper_bound(r.begin(), r.end(), 2.0) - r.begin()) / double(r.size()));
}

double areaOf(const brep::Rebordered& r) {
  double area = 0;
  for (const auto& b : r.bodies) area += brep::massOf(b->shape).areaMm2;
  return area;
}

/// A wall is about as large as its faces and its thickness say.
std::string wrongWall(const brep::Body& from, const brep::Body& wall, double mm, const std::vector<int>& open) {
  double area = 0;
  const auto all = brep::faces(from);
  for (size_t i = 0; i < all.size(); ++i)
    if (std::find(open.begin(), open.end(), int(i)) == open.end()) area += brep::massOf(all[i]).areaMm2;
  const double ratio = brep::massOf(wall.shape).volumeMm3 / (mm * area), rough = brep::largestTolerance(wall.shape);
  if (!wall.solid() || !brep::checkValid(wall.shape)) return "no valid solid";
  if (ratio < 0.6 || ratio > 1.25) return "volume " + std::to_string(ratio);
  return rough > 0.02 ? "rough " + std::to_string(rough) : "";
}

/// Half rounds add half a tube along the rims to the wall with square ones, a little more or less where these bend; and leave both
/// sides tangentially.
std::string wrongRims(const brep::Body& from, const brep::Body& wall, double mm, brep::ThickenOptions o) {
  o.rims = brep::ThickenRims::Square;
  const auto square = brep::thicken(from, o, {});
  if (!square) return "no square one";
  if (!wall.solid() || !brep::checkValid(wall.shape)) return "no valid solid";
  const double more = brep::massOf(wall.shape).volumeMm3 - brep::massOf(square->body->shape).volumeMm3;
  double around = 0; // by areas of rims
  const auto all = brep::faces(*square->body);
  for (size_t i = 0; i < all.size(); ++i)
    if (square->body->faceNames[i].find(".rim(") != std::string::npos) around += brep::massOf(all[i]).areaMm2 / mm;
  const double ratio = more / (kPi * mm * mm / 8 * around);
  if (ratio < 0.8 || ratio > 1.3) return "volume " + std::to_string(ratio);
  for (const auto& j : inspect::joins(wall, {}))
    if (const bool between = j.edge.find(")|s.rim(") != std::string::npos; j.meantSmooth && j.angleDeg > (between ? 0.3 : 0.05)) return "angle " + std::to_string(j.angleDeg) + " at " + j.edge;
  return {};
}

} // namespace

int main(int argc, char** argv) {
  const int perKind = argc > 1 ? std::atoi(argv[1]) : 9, solids = argc > 2 ? std::atoi(argv[2]) : 0;
  const unsigned seed = argc > 3 ? unsigned(std::atoi(argv[3])) : 1;
  Tally offsets{"offset"}, walls{"wall"}, rounded{"rounded rims"}, grown{"grown"}, shorter{"shortened"}, back{"restored"};
  std::vector<double> ratios, fifth; // the latter of faces of degree five and more
  const auto cases = test::offsetCases(perKind, solids, seed);
  for (const auto& c : cases) {
    for (double d : {1.0, -1.0, 2.0, -2.0}) {
      const std::string name = c.name + " by " + formatNumber(d, 2);
      const auto made = offsets.run(name, [&] { return brep::offsetBody(*c.body, {d, {}, "s"}, {}); });
      if (!made) continue;
      offsets.judge(name, test::wrongOffset(*c.body, *made->body, d));
      if (const auto n = test::controlPointsOf(*c.body, *made->body); n.before > 0) ratios.push_back(double(n.after) / n.before);
      if (const auto n = test::controlPointsOf(*c.body, *made->body, 5); n.before > 0) fifth.push_back(double(n.after) / n.before);
    }
    for (double t : {1.0, 2.0})
      for (const std::vector<int>& open : {std::vector<int>{}, {0}}) {
        if (open.size() >= brep::faces(*c.body).size()) continue;
        brep::ThickenOptions o;
        o.thicknessMm = t, o.step = "s", o.open = open;
        const std::string name = c.name + " of " + formatNumber(t, 2) + (open.empty() ? "" : ", open");
        const auto made = walls.run(name, [&] { return brep::thicken(*c.body, o, {}); });
        if (made) walls.judge(name, wrongWall(*c.body, *made->body, t, open));
        if (!made || c.body->solid()) continue;
        o.rims = brep::ThickenRims::Round;
        const auto round = rounded.run(name, [&] { return brep::thicken(*c.body, o, {}); });
        if (round) rounded.judge(name, wrongRims(*c.body, *round->body, t, o));
      }
    // One cut edge of a skin further out, further in, and gone. By how much its area changes, of what its length says.
    int cut = 0;
    while (cut < int(c.body->edgeNames.size()) &&
           (!brep::isOpen(*c.body, cut) || c.body->edgeNames[size_t(cut)].find("cut:") == std::string::npos))
      ++cut;
    if (c.body->solid() || cut == int(c.body->edgeNames.size())) continue;
    constexpr double kMm = 1.5;
    GProp_GProps length;
    BRepGProp::LinearProperties(brep::edges(*c.body)[size_t(cut)], length);
    const double area = brep::massOf(c.body->shape).areaMm2, expected = kMm * length.Mass();
    const auto judge = [&](Tally& t, const Expected<brep::Rebordered>& made, double least, double most) {
      if (!made) return;
      const double change = (areaOf(*made) - area) / expected;
      t.judge(c.name, !brep::checkValid(made->bodies.front()->shape) ? "not valid" : change < least || change > most ? "area " + std::to_string(change) : "");
    };
    judge(grown, grown.run(c.name, [&] { return brep::grown(*c.body, {cut}, kMm, nurbs::GoOn::Natural, {}); }), 0.05, 2.5); // little where a small hole is filled
    judge(shorter, shorter.run(c.name, [&] { return brep::shortened(*c.body, {cut}, kMm, {}); }), -2.5, -0.05);
    judge(back, back.run(c.name, [&]() -> Expected<brep::Rebordered> {
            LUMSK_TRY(made, brep::restored(*c.body, {cut}, {}, {}));
            return made;
          }), 1e-6, 1e9);
  }
  std::printf("%zu bodies\n", cases.size());
  for (Tally* t : {&offsets, &walls, &rounded, &grown, &shorter, &back}) t->print();
  printRatios(ratios, "all");
  printRatios(fifth, "degree five");
  return offsets.wrong + walls.wrong + rounded.wrong + grown.wrong + shorter.wrong + back.wrong > 0;
}
