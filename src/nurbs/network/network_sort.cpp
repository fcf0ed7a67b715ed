#include "nurbs/network/network_crossings.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace lumsk::nurbs {

namespace {

constexpr double kParallelDeg = 3.0;    ///< families that cross at less are nearly parallel
constexpr double kWideSearch = 0.02;    ///< of the size: gaps up to here are named when nothing meets
constexpr size_t kMostFreeGroups = 12;  ///< groups of curves whose family is open are tried in all ways up to here
constexpr int kMostUnfinished = 3;      ///< curves that may cross only some of the others
constexpr int kMostTrials = 2000;       ///< of sets of them

class Sorter {
public:
  Sorter(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths, double gap,
         const Tolerances& tol)
      : net_(curves, lengths, gap, tol) {}

  Expected<SortedNetwork> run() {
    if (std::count(net_.out.begin(), net_.out.end(), false) < 3)
      return fail(problem("LM-N001", "a network needs two families of curves, two or more each")
                      .measure(count(net_.count()))
                      .at(net_.count() > 0 ? net_.path(0).start() : Vec3(Vec3::Zero()))
                      .tryThis("pick more curves"));
    LUMSK_CHECK(net_.find());
    auto family = separate();
    if (!family) {
      // Perhaps only the limit stands in the way.
      const double wide = std::max(kWideSearch * net_.size(), 20 * net_.gap());
      Sorter wider(net_.withGap(wide));
      (void)wider.net_.find();
      if (const auto gaps = wider.gapsAbove(net_.gap())) return fail(*gaps);
      if (!leaveOut()) return fail(family.error());
      family = separate();
    }
    LUMSK_CHECK(checkTriple());
    LUMSK_CHECK(checkPairs(*family));
    return orderedNetwork(net_, *family);
  }

private:
  explicit Sorter(CurveCrossings net) : net_(std::move(net)) {}

  /// The problem of gaps above `limit`, if the curves form a network once wider gaps are allowed.
  std::optional<Problem> gapsAbove(double limit) const {
    const auto family = separate();
    if (!family) return {};
    std::string pairs;
    double worst = 0;
    Problem p = problem("LM-N007", "");
    for (int i = 0; i < net_.count(); ++i)
      for (int j = i + 1; j < net_.count(); ++j)
        if ((*family)[size_t(i)] * (*family)[size_t(j)] == 2)
          if (const Meeting m = net_.best(i, j); m.gapMm > limit) {
            pairs += (pairs.empty() ? "" : ", ") + curveNumber(i) + " and " + curveNumber(j);
            worst = std::max(worst, m.gapMm);
            p.at(m.middle());
          }
    if (pairs.empty()) return {};
    p.what = "curves miss one another by more than the largest gap: " + pairs;
    p.measure(millimetres(worst)).want(millimetres(limit)).tryThis("move the curves together, or allow this gap");
    return p;
  }

  /// Leaves out the fewest curves, with the fewest meetings, without which the others form families, of one of which
  /// each of those meets some.
  bool leaveOut() {
    const std::vector<bool> given = net_.out;
    std::vector<bool> best;
    int fewest = 1 << 30, left = kMostTrials;
    const auto tryWithout = [&](auto&& self, int from, int more) -> void {
      if (more > 0) {
        for (int i = from; i < net_.count(); ++i)
          if (!net_.out[size_t(i)]) net_.out[size_t(i)] = true, self(self, i + 1, more - 1), net_.out[size_t(i)] = given[size_t(i)];
        return;
      }
      if (--left < 0) return;
      const auto family = separate();
      if (!family || std::count(family->begin(), family->end(), 1) < 2 ||
          std::count(family->begin(), family->end(), 2) < 2)
        return;
      int meet = 0;
      for (int i = 0; i < net_.count(); ++i) {
        if (!net_.out[size_t(i)] || given[size_t(i)]) continue;
        std::array<int, 3> with{}, inside{}; // ends that meet may be a corner or a pole
        for (int j = 0; j < net_.count(); ++j) {
          if (net_.out[size_t(j)] || net_.list(i, j).empty()) continue;
          ++with[size_t((*family)[size_t(j)])];
          inside[size_t((*family)[size_t(j)])] += !net_.endToEnd(i, j);
        }
        const int crosses = inside[1] > 0 ? 1 : 2;
        const bool all = with[size_t(crosses)] == std::count(family->begin(), family->end(), crosses);
        if ((inside[1] > 0) == (inside[2] > 0) || all || net_.path(i).closed()) return;
        if (net_.curve(i).family == crosses) return;
        meet += with[size_t(crosses)];
        // What it misses it has to end before: else the other one does.
        for (int j = 0; j < net_.count(); ++j)
          if (!net_.out[size_t(j)] && (*family)[size_t(j)] == crosses && net_.list(i, j).empty() && !net_.endsBefore(i, j)) meet += net_.count();
      }
      if (meet < fewest) fewest = meet, best = net_.out;
    };
    for (int count = 1; count <= kMostUnfinished && best.empty(); ++count) tryWithout(tryWithout, 0, count);
    net_.out = best.empty() ? given : best;
    return !best.empty();
  }

  // Families: a union-find with parity over what is certain, then all ways for what is not.
  struct Groups {
    std::vector<int> parent, parity;
    explicit Groups(int n) : parent(size_t(n)), parity(size_t(n), 0) { std::iota(parent.begin(), parent.end(), 0); }
    std::pair<int, int> root(int i) const {
      int par = 0;
      while (parent[size_t(i)] != i) par ^= parity[size_t(i)], i = parent[size_t(i)];
      return {i, par};
    }
    bool relate(int i, int j, int differ) {
      const auto [a, pa] = root(i);
      const auto [b, pb] = root(j);
      if (a == b) return (pa ^ pb) == differ;
      parent[size_t(b)] = a;
      parity[size_t(b)] = pa ^ pb ^ differ;
      return true;
    }
  };

  Expected<std::vector<int>> separate() const {
    Groups g(net_.count() + 1); // one more: the first family itself
    for (int i = 0; i < net_.count(); ++i)
      if (net_.curve(i).family != 0 && !net_.out[size_t(i)]) g.relate(net_.count(), i, net_.curve(i).family == 2);
    for (int i = 0; i < net_.count(); ++i)
      for (int j = i + 1; j < net_.count(); ++j) {
        const bool meet = !net_.list(i, j).empty();
        if (net_.out[size_t(i)] || net_.out[size_t(j)] || (meet && net_.endToEnd(i, j))) continue;
        if (!g.relate(i, j, meet)) return fail(contradiction(i, j, meet));
      }
    std::vector<int> free;
    for (int i = 0; i <= net_.count(); ++i)
      if (g.root(i).first == i && (i == net_.count() || !net_.out[size_t(i)])) free.push_back(i);
    if (free.size() > kMostFreeGroups) return fail(noFamilies());
    std::vector<int> bestFamily;
    int fewest = 1 << 30;
    for (unsigned way = 0; way < (1u << (free.size() - 1)); ++way) {
      std::vector<int> family(size_t(net_.count()) + 1);
      for (int i = 0; i <= net_.count(); ++i) {
        if (i < net_.count() && net_.out[size_t(i)]) continue;
        const auto [r, parity] = g.root(i);
        const size_t k = size_t(std::find(free.begin(), free.end(), r) - free.begin());
        family[size_t(i)] = 1 + (parity ^ (k == 0 ? 0 : int(way >> (k - 1)) & 1));
      }
      if (family.back() == 2) exchange(family);
      family.pop_back();
      const int inside = meetingsInside(family);
      // Of equally good ways the one that keeps the first two picks together.
      if (inside >= 0 && 2 * inside + (family[0] != family[1]) < fewest)
        fewest = 2 * inside + (family[0] != family[1]), bestFamily = family;
    }
    if (bestFamily.empty()) return fail(noFamilies());
    bool chosen = false;
    for (int i = 0; i < net_.count(); ++i) chosen = chosen || net_.curve(i).family != 0;
    int lowest = -1;
    for (int i = 0; i < net_.count(); ++i)
      if (!net_.out[size_t(i)] && (lowest < 0 || net_.before(i, lowest))) lowest = i;
    if (!chosen && bestFamily[size_t(lowest)] == 2) exchange(bestFamily);
    return bestFamily;
  }
  static void exchange(std::vector<int>& family) {
    for (int& f : family) f = f == 0 ? 0 : 3 - f;
  }

  Problem contradiction(int i, int j, bool meet) const {
    if (meet)
      return problem("LM-N004", "curves " + curveNumber(i) + " and " + curveNumber(j) +
                                    " cross, though both cross the same other curves: three curves through one area, "
                                    "or curves of one family that cross")
          .at(net_.best(i, j).middle())
          .tryThis("take one of them out, or move them apart");
    return problem("LM-N002",
                   "curves " + curveNumber(i) + " and " + curveNumber(j) + " do not meet, though one should cross the other")
        .measure(millimetres(net_.best(i, j).gapMm))
        .at(net_.best(i, j).middle())
        .tryThis("extend one of them, or take it out");
  }

  Problem noFamilies() const {
    for (int i = 0; i < net_.count(); ++i) {
      bool alone = !net_.out[size_t(i)];
      for (int j = 0; j < net_.count(); ++j) alone = alone && (i == j || net_.list(i, j).empty());
      if (alone)
        return problem("LM-N002", "curve " + curveNumber(i) + " meets none of the others")
            .at(net_.path(i).at(0.5 * net_.path(i).last()))
            .tryThis("move it so that it crosses the other family, or take it out");
    }
    return problem("LM-N002", "the curves do not form two families that cross")
        .at(net_.path(0).start())
        .tryThis("every curve of one family must cross every curve of the other");
  }

  /// Meetings between curves of one family, or -1 where the families do not do: too few curves, a pair that does not
  /// meet, or meetings inside a family that are not one common pole.
  int meetingsInside(const std::vector<int>& family) const {
    int inside = 0;
    for (int f : {1, 2}) {
      std::vector<int> own;
      for (int i = 0; i < net_.count(); ++i)
        if (family[size_t(i)] == f) own.push_back(i);
      if (own.empty()) return -1;
      int met = 0;
      for (size_t a = 0; a < own.size(); ++a)
        for (size_t b = a + 1; b < own.size(); ++b) met += !net_.list(own[a], own[b]).empty();
      const int all = int(own.size() * (own.size() - 1) / 2);
      if (met != 0 && met != all) return -1;
      inside += met;
    }
    for (int i = 0; i < net_.count(); ++i)
      for (int j = i + 1; j < net_.count(); ++j)
        if (family[size_t(i)] * family[size_t(j)] == 2 && net_.list(i, j).empty()) return -1;
    return inside;
  }

  Expected<void> checkTriple() const {
    const double near = std::max(net_.gap(), 10 * net_.tolerances().point.mm);
    for (int i = 0; i < net_.count(); ++i)
      for (int j = i + 1; j < net_.count(); ++j)
        for (const Meeting& m : net_.list(i, j))
          for (int k = j + 1; k < net_.count(); ++k)
            for (const Meeting& o : net_.list(i, k))
              if (!net_.out[size_t(i)] && !net_.out[size_t(j)] && !net_.out[size_t(k)] && (o.middle() - m.middle()).norm() < near &&
                  !(net_.endToEnd(i, j) && net_.endToEnd(i, k)))
                return fail(problem("LM-N004",
                                    "curves " + curveNumber(i) + ", " + curveNumber(j) + " and " + curveNumber(k) + " go through one point")
                                .at(m.middle())
                                .tryThis("move one of them away from there, or take it out"));
    return {};
  }

  Expected<void> checkPairs(const std::vector<int>& family) const {
    for (int f : {1, 2})
      for (int i = 0; i < net_.count(); ++i)
        for (int j = 0; j < net_.count(); ++j)
          if (family[size_t(i)] == f && family[size_t(j)] == f &&
              net_.path(i).closed() != net_.path(j).closed())
            return fail(problem("LM-N012", "curves " + curveNumber(i) + " and " + curveNumber(j) +
                                               " are of one family, but one is closed and the other open")
                            .at(net_.path(j).start())
                            .tryThis("open or close one of them"));
    for (int i = 0; i < net_.count(); ++i)
      for (int j = i + 1; j < net_.count(); ++j) {
        if (family[size_t(i)] * family[size_t(j)] != 2) continue;
        if (const auto& l = net_.list(i, j); l.size() > 1) {
          Problem p = problem("LM-N003", "curves " + curveNumber(i) + " and " + curveNumber(j) + " cross more than once")
                          .tryThis("split one of them between the crossings");
          for (const Meeting& m : l) p.at(m.middle());
          return fail(std::move(p));
        }
        if (const Meeting m = net_.best(i, j); m.angleDeg < kParallelDeg)
          return fail(
              problem("LM-N006", "curves " + curveNumber(i) + " and " + curveNumber(j) + " are nearly parallel where they cross")
                  .measure(degrees(m.angleDeg))
                  .want(degrees(kParallelDeg))
                  .at(m.middle())
                  .tryThis("let the families cross at a larger angle"));
      }
    return {};
  }

  CurveCrossings net_;
};

} // namespace

Expected<SortedNetwork> sortNetwork(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths,
                                    LengthTolerance largestGap, const Tolerances& tol) {
  return Sorter(curves, lengths, std::max(largestGap.mm, tol.point.mm), tol).run();
}

} // namespace lumsk::nurbs
