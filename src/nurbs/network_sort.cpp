#include "nurbs/network_sort.h"

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
constexpr double kSmallestShare = 1e-4; ///< of a curve's length between neighbouring crossings

std::string name(int i) { return std::to_string(i + 1); }

class Sorter {
public:
  Sorter(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths, double gap,
         const Tolerances& tol)
      : curves_(curves), lengths_(lengths), n_(int(curves.size())), gap_(gap), tol_(tol) {
    for (const auto& c : curves) sides_.emplace_back(c.path);
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const auto& c : curves) {
      const Points p = polyline(c.path, 8);
      low = low.cwiseMin(p.colwise().minCoeff().transpose());
      high = high.cwiseMax(p.colwise().maxCoeff().transpose());
    }
    size_ = (high - low).norm();
    meet_.assign(size_t(n_), std::vector<Meetings>(size_t(n_)));
    for (const auto& c : curves) out_.push_back(c.leftOut);
  }

  Expected<SortedNetwork> run() {
    if (std::count(out_.begin(), out_.end(), false) < 3)
      return fail(problem("LM-N001", "a network needs two families of curves, two or more each")
                      .measure(count(n_))
                      .at(n_ > 0 ? curves_[0].path.start() : Vec3(Vec3::Zero()))
                      .tryThis("pick more curves"));
    LUMSK_CHECK(find(gap_));
    auto family = separate();
    if (!family) {
      // Perhaps only the limit stands in the way.
      const double wide = std::max(kWideSearch * size_, 20 * gap_);
      const Sorter wider(*this, wide);
      if (const auto gaps = wider.gapsAbove(gap_)) return fail(*gaps);
      if (!leaveOut()) return fail(family.error());
      family = separate();
    }
    LUMSK_CHECK(checkTriple());
    family_ = *family;
    LUMSK_CHECK(checkPairs());
    return order();
  }

private:
  Sorter(const Sorter& other, double gap)
      : curves_(other.curves_), lengths_(other.lengths_), n_(other.n_), gap_(gap), tol_(other.tol_), size_(other.size_),
        sides_(other.sides_), out_(other.out_) {
    meet_.assign(size_t(n_), std::vector<Meetings>(size_t(n_)));
    (void)find(gap);
  }

  /// The problem of gaps above `limit`, if the curves form a network once wider gaps are allowed.
  std::optional<Problem> gapsAbove(double limit) const {
    const auto family = separate();
    if (!family) return {};
    std::string pairs;
    double worst = 0;
    Problem p = problem("LM-N007", "");
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j)
        if ((*family)[size_t(i)] * (*family)[size_t(j)] == 2)
          if (const Meeting m = best(i, j); m.gapMm > limit) {
            pairs += (pairs.empty() ? "" : ", ") + name(i) + " and " + name(j);
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
    const std::vector<bool> given = out_;
    std::vector<bool> best;
    int fewest = 1 << 30, left = kMostTrials;
    const auto tryWithout = [&](auto&& self, int from, int more) -> void {
      if (more > 0) {
        for (int i = from; i < n_; ++i)
          if (!out_[size_t(i)]) out_[size_t(i)] = true, self(self, i + 1, more - 1), out_[size_t(i)] = given[size_t(i)];
        return;
      }
      if (--left < 0) return;
      const auto family = separate();
      if (!family || std::count(family->begin(), family->end(), 1) < 2 ||
          std::count(family->begin(), family->end(), 2) < 2)
        return;
      int meet = 0;
      for (int i = 0; i < n_; ++i) {
        if (!out_[size_t(i)] || given[size_t(i)]) continue;
        std::array<int, 3> with{}, inside{}; // ends that meet may be a corner or a pole
        for (int j = 0; j < n_; ++j) {
          if (out_[size_t(j)] || list(i, j).empty()) continue;
          ++with[size_t((*family)[size_t(j)])];
          inside[size_t((*family)[size_t(j)])] += !endToEnd(i, j);
        }
        const int crosses = inside[1] > 0 ? 1 : 2;
        const bool all = with[size_t(crosses)] == std::count(family->begin(), family->end(), crosses);
        if ((inside[1] > 0) == (inside[2] > 0) || all || curves_[size_t(i)].path.closed()) return;
        if (curves_[size_t(i)].family == crosses) return;
        meet += with[size_t(crosses)];
        // What it misses it has to end before: else the other one does.
        for (int j = 0; j < n_; ++j)
          if (!out_[size_t(j)] && (*family)[size_t(j)] == crosses && list(i, j).empty() && !endsBefore(i, j)) meet += n_;
      }
      if (meet < fewest) fewest = meet, best = out_;
    };
    for (int count = 1; count <= kMostUnfinished && best.empty(); ++count) tryWithout(tryWithout, 0, count);
    out_ = best.empty() ? given : best;
    return !best.empty();
  }

  /// Whether a curve comes nearest to another one with an end.
  bool endsBefore(int i, int j) const { return atEnd(i, parameterOn(i, j, best(i, j))); }

  /// The closest of their meetings; of a pair that does not meet, where it comes nearest.
  Meeting best(int i, int j) const {
    const auto& l = list(i, j);
    const auto least =
        std::min_element(l.begin(), l.end(), [](const Meeting& a, const Meeting& b) { return a.gapMm < b.gapMm; });
    return least == l.end() ? nearest(sides_[size_t(std::min(i, j))], sides_[size_t(std::max(i, j))]) : *least;
  }
  const std::vector<Meeting>& list(int i, int j) const {
    return meet_[size_t(std::min(i, j))][size_t(std::max(i, j))].list;
  }

  Expected<void> find(double limit) {
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j) {
        if (out_[size_t(i)] || out_[size_t(j)]) continue;
        meet_[size_t(i)][size_t(j)] = meetings(sides_[size_t(i)], sides_[size_t(j)], limit);
        const Meetings& m = meet_[size_t(i)][size_t(j)];
        const bool parallelLines = m.list.size() == 1 && m.list[0].angleDeg < 1e-4 && alongOneAnother(i, j, m.list[0]);
        if (m.overlap || parallelLines)
          return fail(problem("LM-N005", "curves " + name(i) + " and " + name(j) + " lie on one another")
                          .at(m.list.front().middle())
                          .tryThis("take one of them out"));
      }
    return {};
  }

  /// Whether two tangent curves stay together beside their meeting.
  bool alongOneAnother(int i, int j, const Meeting& m) const {
    const Path &a = curves_[size_t(i)].path, &b = curves_[size_t(j)].path;
    int on = 0;
    for (double step : {-0.02, -0.01, 0.01, 0.02}) {
      const double t = m.s + step;
      if (t < 0 || t > a.last()) continue;
      const Vec3 p = a.at(t);
      for (int k = 0; k <= 40; ++k)
        if ((b.at(std::clamp(m.t + (k - 20) * 0.002 * b.last(), 0.0, b.last())) - p).norm() < tol_.point.mm) {
          ++on;
          break;
        }
    }
    return on >= 2;
  }

  bool atEnd(int i, double t) const {
    const Path& p = curves_[size_t(i)].path;
    if (p.closed()) return false;
    const double reach = std::max(10 * tol_.point.mm, gap_), s = lengths_[size_t(i)].lengthAt(t);
    return s < reach || s > lengths_[size_t(i)].total() - reach;
  }
  double parameterOn(int i, int j, const Meeting& m) const { return i < j ? m.s : m.t; }
  bool endToEnd(int i, int j) const {
    const auto& l = list(i, j);
    return !l.empty() && std::all_of(l.begin(), l.end(), [&](const Meeting& m) {
      return atEnd(i, parameterOn(i, j, m)) && atEnd(j, parameterOn(j, i, m));
    });
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
    Groups g(n_ + 1); // one more: the first family itself
    for (int i = 0; i < n_; ++i)
      if (curves_[size_t(i)].family != 0 && !out_[size_t(i)]) g.relate(n_, i, curves_[size_t(i)].family == 2);
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j) {
        const bool meet = !list(i, j).empty();
        if (out_[size_t(i)] || out_[size_t(j)] || (meet && endToEnd(i, j))) continue;
        if (!g.relate(i, j, meet)) return fail(contradiction(i, j, meet));
      }
    std::vector<int> free;
    for (int i = 0; i <= n_; ++i)
      if (g.root(i).first == i && (i == n_ || !out_[size_t(i)])) free.push_back(i);
    if (free.size() > kMostFreeGroups) return fail(noFamilies());
    std::vector<int> bestFamily;
    int fewest = 1 << 30;
    for (unsigned way = 0; way < (1u << (free.size() - 1)); ++way) {
      std::vector<int> family(size_t(n_) + 1);
      for (int i = 0; i <= n_; ++i) {
        if (i < n_ && out_[size_t(i)]) continue;
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
    const bool chosen = std::any_of(curves_.begin(), curves_.end(), [](const auto& c) { return c.family != 0; });
    int lowest = -1;
    for (int i = 0; i < n_; ++i)
      if (!out_[size_t(i)] && (lowest < 0 || before(i, lowest))) lowest = i;
    if (!chosen && bestFamily[size_t(lowest)] == 2) exchange(bestFamily);
    return bestFamily;
  }
  static void exchange(std::vector<int>& family) {
    for (int& f : family) f = f == 0 ? 0 : 3 - f;
  }

  Problem contradiction(int i, int j, bool meet) const {
    if (meet)
      return problem("LM-N004", "curves " + name(i) + " and " + name(j) +
                                    " cross, though both cross the same other curves: three curves through one area, "
                                    "or curves of one family that cross")
          .at(best(i, j).middle())
          .tryThis("take one of them out, or move them apart");
    return problem("LM-N002",
                   "curves " + name(i) + " and " + name(j) + " do not meet, though one should cross the other")
        .measure(millimetres(best(i, j).gapMm))
        .at(best(i, j).middle())
        .tryThis("extend one of them, or take it out");
  }

  Problem noFamilies() const {
    for (int i = 0; i < n_; ++i) {
      bool alone = !out_[size_t(i)];
      for (int j = 0; j < n_; ++j) alone = alone && (i == j || list(i, j).empty());
      if (alone)
        return problem("LM-N002", "curve " + name(i) + " meets none of the others")
            .at(curves_[size_t(i)].path.at(0.5 * curves_[size_t(i)].path.last()))
            .tryThis("move it so that it crosses the other family, or take it out");
    }
    return problem("LM-N002", "the curves do not form two families that cross")
        .at(curves_[0].path.start())
        .tryThis("every curve of one family must cross every curve of the other");
  }

  /// Meetings between curves of one family, or -1 where the families do not do: too few curves, a pair that does not
  /// meet, or meetings inside a family that are not one common pole.
  int meetingsInside(const std::vector<int>& family) const {
    int inside = 0;
    for (int f : {1, 2}) {
      std::vector<int> own;
      for (int i = 0; i < n_; ++i)
        if (family[size_t(i)] == f) own.push_back(i);
      if (own.empty()) return -1;
      int met = 0;
      for (size_t a = 0; a < own.size(); ++a)
        for (size_t b = a + 1; b < own.size(); ++b) met += !list(own[a], own[b]).empty();
      const int all = int(own.size() * (own.size() - 1) / 2);
      if (met != 0 && met != all) return -1;
      inside += met;
    }
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j)
        if (family[size_t(i)] * family[size_t(j)] == 2 && list(i, j).empty()) return -1;
    return inside;
  }

  Expected<void> checkTriple() const {
    const double near = std::max(gap_, 10 * tol_.point.mm);
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j)
        for (const Meeting& m : list(i, j))
          for (int k = j + 1; k < n_; ++k)
            for (const Meeting& o : list(i, k))
              if (!out_[size_t(i)] && !out_[size_t(j)] && !out_[size_t(k)] && (o.middle() - m.middle()).norm() < near &&
                  !(endToEnd(i, j) && endToEnd(i, k)))
                return fail(problem("LM-N004",
                                    "curves " + name(i) + ", " + name(j) + " and " + name(k) + " go through one point")
                                .at(m.middle())
                                .tryThis("move one of them away from there, or take it out"));
    return {};
  }

  Expected<void> checkPairs() const {
    for (int f : {1, 2})
      for (int i = 0; i < n_; ++i)
        for (int j = 0; j < n_; ++j)
          if (family_[size_t(i)] == f && family_[size_t(j)] == f &&
              curves_[size_t(i)].path.closed() != curves_[size_t(j)].path.closed())
            return fail(problem("LM-N012", "curves " + name(i) + " and " + name(j) +
                                               " are of one family, but one is closed and the other open")
                            .at(curves_[size_t(j)].path.start())
                            .tryThis("open or close one of them"));
    for (int i = 0; i < n_; ++i)
      for (int j = i + 1; j < n_; ++j) {
        if (family_[size_t(i)] * family_[size_t(j)] != 2) continue;
        if (const auto& l = list(i, j); l.size() > 1) {
          Problem p = problem("LM-N003", "curves " + name(i) + " and " + name(j) + " cross more than once")
                          .tryThis("split one of them between the crossings");
          for (const Meeting& m : l) p.at(m.middle());
          return fail(std::move(p));
        }
        if (const Meeting m = best(i, j); m.angleDeg < kParallelDeg)
          return fail(
              problem("LM-N006", "curves " + name(i) + " and " + name(j) + " are nearly parallel where they cross")
                  .measure(degrees(m.angleDeg))
                  .want(degrees(kParallelDeg))
                  .at(m.middle())
                  .tryThis("let the families cross at a larger angle"));
      }
    return {};
  }

  std::vector<int> members(int f) const {
    std::vector<int> out;
    for (int i = 0; i < n_; ++i)
      if (family_[size_t(i)] == f) out.push_back(i);
    return out;
  }

  bool meetWithin(const std::vector<int>& own) const { return own.size() > 1 && !list(own[0], own[1]).empty(); }
  bool allClosed(const std::vector<int>& own) const { return curves_[size_t(own[0])].path.closed(); }

  Expected<SortedNetwork> order() {
    std::vector<int> rows = members(1), columns = members(2);
    // Poles and closed curves have their fixed places: poles end columns, closed curves are rows.
    if (meetWithin(rows) || allClosed(columns)) std::swap(rows, columns);
    if (meetWithin(rows))
      return fail(problem("LM-N002", "both families meet in poles")
                      .at(curves_[size_t(rows[0])].path.start())
                      .tryThis("use curves that end apart in one of the families"));
    if (allClosed(columns))
      return fail(problem("LM-N012", "the curves of both families are closed")
                      .at(curves_[size_t(columns[0])].path.start())
                      .tryThis("split the curves of one family"));
    SortedNetwork out;
    out.closed = allClosed(rows);
    out.familyOf.assign(size_t(n_), 0);
    for (int r : rows) out.familyOf[size_t(r)] = 1;
    for (int c : columns) out.familyOf[size_t(c)] = 2;
    for (int i = 0; i < n_; ++i)
      if (out_[size_t(i)] && !curves_[size_t(i)].leftOut) out.unfinished.push_back(i);
    const auto poles = polesOf(columns);
    if (columns.size() < 2 || rows.size() + poles.size() < 2)
      return fail(problem("LM-N001", "a network needs two families of curves, two or more each")
                      .at(curves_[0].path.start())
                      .tryThis("pick another curve of the smaller family"));
    LUMSK_TRY(columnOrder, ordered(columns, rows, out.closed));
    LUMSK_TRY(rowOrder, ordered(rows, columnOrder, false));
    LUMSK_CHECK(fill(out, rowOrder, columnOrder, poles));
    return out;
  }

  /// Ends where all columns meet one another: their points.
  std::vector<Vec3> polesOf(const std::vector<int>& columns) const {
    std::vector<Vec3> out;
    if (!meetWithin(columns)) return out;
    for (const Meeting& m : list(columns[0], columns[1])) out.push_back(m.middle());
    return out;
  }

  double lengthOn(int i, const Meeting& m, int other) const {
    return lengths_[size_t(i)].lengthAt(parameterOn(i, other, m));
  }

  /// Ranks are taken with the place among the picks, which settles equal ones.
  bool before(int a, int b) const {
    const int x = curves_[size_t(a)].rank, y = curves_[size_t(b)].rank;
    return x != y ? x < y : a < b;
  }

  /// Whether the second-lowest of a list stands before the lowest.
  bool secondComesFirst(const std::vector<int>& o) const {
    if (o.size() < 2) return false;
    std::vector<int> sorted = o;
    std::sort(sorted.begin(), sorted.end(), [&](int a, int b) { return before(a, b); });
    return std::find(o.begin(), o.end(), sorted[1]) < std::find(o.begin(), o.end(), sorted[0]);
  }

  /// Members of one family in the order in which the others are crossed, in the direction from the lowest rank to the
  /// next lower one: curves added later do not turn it. Around closed curves the lowest is first, and the lower of its
  /// neighbours second.
  Expected<std::vector<int>> ordered(const std::vector<int>& own, const std::vector<int>& other, bool around) const {
    const auto along = [&](int by) {
      std::vector<int> o = own;
      std::sort(o.begin(), o.end(),
                [&](int a, int b) { return lengthOn(by, best(by, a), a) < lengthOn(by, best(by, b), b); });
      const auto lower = [&](int a, int b) { return before(a, b); };
      if (around) std::rotate(o.begin(), std::min_element(o.begin(), o.end(), lower), o.end());
      if (around ? o.size() > 2 && before(o.back(), o[1]) : secondComesFirst(o))
        std::reverse(o.begin() + (around ? 1 : 0), o.end());
      return o;
    };
    const std::vector<int> first = along(other[0]);
    for (int by : other) {
      const std::vector<int> here = along(by);
      if (here == first) continue;
      const size_t k = size_t(std::mismatch(here.begin(), here.end(), first.begin()).first - here.begin());
      return fail(
          problem("LM-N009", "curves " + name(other[0]) + " and " + name(by) + " cross the others in different orders")
              .at(best(by, here[k]).middle())
              .tryThis("curves of one family must not cross one another"));
    }
    return first;
  }

  Expected<void> fill(SortedNetwork& out, const std::vector<int>& rows, const std::vector<int>& columns,
                      const std::vector<Vec3>& poles) const {
    out.overhang.assign(size_t(n_), 0.0);
    out.overhangAt.assign(size_t(n_), Vec3::Zero());
    for (int r : rows) out.rows.push_back({r, false});
    for (int c : columns) out.columns.push_back({c, false});
    for (auto& c : out.columns)
      c.reversed = rows.size() > 1 ? placeOn(c.index, rows[0]) > placeOn(c.index, rows.back()) : false;
    for (auto& r : out.rows) r.reversed = backwards(r.index, columns, out.closed);
    // Poles go before the first or after the last row.
    std::vector<bool> poleFirst;
    for (const Vec3& p : poles) {
      SortedCurve& c = out.columns[0];
      const Path& path = curves_[size_t(c.index)].path;
      bool atStart = (path.start() - p).norm() < (path.end() - p).norm();
      if (rows.size() == 1 && poleFirst.empty())
        for (auto& k : out.columns) {
          const Path& kp = curves_[size_t(k.index)].path;
          k.reversed = (kp.end() - p).norm() < (kp.start() - p).norm();
        };
      if (out.columns[0].reversed) atStart = !atStart;
      poleFirst.push_back(atStart);
    }
    for (size_t k = 0; k < poles.size(); ++k)
      out.rows.insert(poleFirst[k] ? out.rows.begin() : out.rows.end(), {-1, false});
    for (const auto& r : out.rows) {
      std::vector<GridPoint> line;
      for (const auto& c : out.columns) {
        GridPoint g;
        if (r.index >= 0) {
          const Meeting m = best(r.index, c.index);
          g.at = m.middle();
          g.gapMm = m.gapMm;
          g.along = directed(r, lengthOn(r.index, m, c.index));
          g.across = directed(c, lengthOn(c.index, m, r.index));
          out.largestGapMm = std::max(out.largestGapMm, m.gapMm);
        } else {
          const bool first = &r == &out.rows.front();
          g.at = poles[poles.size() == 2 && poleFirst[1] == first ? 1 : 0];
          g.across = first ? 0.0 : lengths_[size_t(c.index)].total();
        }
        line.push_back(g);
      }
      if (out.closed) closeRow(r, line);
      out.grid.push_back(std::move(line));
    }
    return finish(out);
  }

  double placeOn(int i, int other) const { return lengthOn(i, best(i, other), other); }
  double directed(const SortedCurve& c, double s) const {
    return c.reversed ? lengths_[size_t(c.index)].total() - s : s;
  }

  /// Whether a row runs against the order of the columns.
  bool backwards(int row, const std::vector<int>& columns, bool closed) const {
    if (!closed) return placeOn(row, columns[0]) > placeOn(row, columns.back());
    if (columns.size() == 2) return backwardsOfTwo(row);
    const double L = lengths_[size_t(row)].total();
    const auto turn = [&](int c) {
      const double d = placeOn(row, c) - placeOn(row, columns[0]);
      return d < 0 ? d + L : d;
    };
    return turn(columns[1]) > turn(columns[2]);
  }

  /// Two columns say nothing of the direction: rows turn as the lowest-picked one does.
  bool backwardsOfTwo(int row) const {
    const auto area = [&](int r) {
      const Points p = polyline(curves_[size_t(r)].path, 16);
      const Vec3 c = p.colwise().mean().transpose();
      Vec3 a = Vec3::Zero();
      for (Eigen::Index i = 0; i + 1 < p.rows(); ++i)
        a += (p.row(i).transpose() - c).cross(p.row(i + 1).transpose() - c);
      return a;
    };
    return area(row).dot(area(members(family_[size_t(row)])[0])) < 0;
  }

  /// Lengths grow around, and the first column comes again one turn later.
  void closeRow(const SortedCurve& r, std::vector<GridPoint>& line) const {
    if (r.index >= 0) {
      const double L = lengths_[size_t(r.index)].total();
      for (size_t i = 1; i < line.size(); ++i)
        while (line[i].along <= line[i - 1].along) line[i].along += L;
      line.push_back(line[0]);
      line.back().along += L;
    } else {
      line.push_back(line[0]);
    }
  }

  /// Rows of poles get their places from the others; overhangs and spacing are looked at.
  Expected<void> finish(SortedNetwork& out) const {
    for (size_t j = 0; j < out.rows.size(); ++j)
      for (size_t i = 0; i < out.columns.size(); ++i) {
        const auto tooNear = [&](int curve, double step) {
          return step < kSmallestShare * lengths_[size_t(curve)].total();
        };
        if (i > 0 && out.rows[j].index >= 0 &&
            tooNear(out.rows[j].index, out.grid[j][i].along - out.grid[j][i - 1].along))
          return fail(crossedTogether(out.columns[i - 1].index, out.columns[i].index, out.grid[j][i].at));
        if (j > 0 && tooNear(out.columns[i].index, out.grid[j][i].across - out.grid[j - 1][i].across))
          return fail(crossedTogether(out.rows[j - 1].index, out.rows[j].index, out.grid[j][i].at));
      }
    const auto overhang = [&](const SortedCurve& c, double first, double last) {
      if (c.index < 0) return;
      const ArcLength& l = lengths_[size_t(c.index)];
      const bool before = first > l.total() - last;
      const Path& p = curves_[size_t(c.index)].path;
      out.overhang[size_t(c.index)] = before ? first : l.total() - last;
      out.overhangAt[size_t(c.index)] = before != c.reversed ? p.start() : p.end();
    };
    for (size_t j = 0; j < out.rows.size() && !out.closed; ++j)
      overhang(out.rows[j], out.grid[j].front().along, out.grid[j].back().along);
    for (size_t i = 0; i < out.columns.size(); ++i)
      overhang(out.columns[i], out.grid.front()[i].across, out.grid.back()[i].across);
    return {};
  }

  static Problem crossedTogether(int a, int b, const Vec3& at) {
    const std::string who = a >= 0 && b >= 0
                                ? "curves " + name(a) + " and " + name(b) + " come too close to one another"
                                : "curve " + name(std::max(a, b)) + " goes through the pole";
    return problem("LM-N004", who).at(at).tryThis("move one of them away from there, or take it out");
  }

  const std::vector<NetworkCurve>& curves_;
  const std::vector<ArcLength>& lengths_;
  int n_;
  double gap_;
  const Tolerances& tol_;
  double size_ = 1;
  std::vector<MeetingSide> sides_;
  std::vector<std::vector<Meetings>> meet_; ///< [i][j] for i < j
  std::vector<int> family_;
  std::vector<bool> out_; ///< of every curve
};

} // namespace

Expected<SortedNetwork> sortNetwork(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths,
                                    LengthTolerance largestGap, const Tolerances& tol) {
  return Sorter(curves, lengths, std::max(largestGap.mm, tol.point.mm), tol).run();
}

} // namespace lumsk::nurbs
