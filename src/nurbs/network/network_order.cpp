#include "nurbs/network/network_crossings.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr double kSmallestShare = 1e-4; ///< of a curve's length between neighbouring crossings

class Ordering {
public:
  Ordering(const CurveCrossings& net, const std::vector<int>& family) : net_(net), family_(family) {}

  Expected<SortedNetwork> run() {
    std::vector<int> rows = members(1), columns = members(2);
    // Poles and closed curves have their fixed places: poles end columns, closed curves are rows.
    if (meetWithin(rows) || allClosed(columns)) std::swap(rows, columns);
    if (meetWithin(rows))
      return fail(problem("LM-N002", "both families meet in poles")
                      .at(net_.path(rows[0]).start())
                      .tryThis("use curves that end apart in one of the families"));
    if (allClosed(columns))
      return fail(problem("LM-N012", "the curves of both families are closed")
                      .at(net_.path(columns[0]).start())
                      .tryThis("split the curves of one family"));
    SortedNetwork out;
    out.closed = allClosed(rows);
    out.familyOf.assign(size_t(net_.count()), 0);
    for (int r : rows) out.familyOf[size_t(r)] = 1;
    for (int c : columns) out.familyOf[size_t(c)] = 2;
    for (int i = 0; i < net_.count(); ++i)
      if (net_.out[size_t(i)] && !net_.curve(i).leftOut) out.unfinished.push_back(i);
    const auto poles = polesOf(columns);
    if (columns.size() < 2 || rows.size() + poles.size() < 2)
      return fail(problem("LM-N001", "a network needs two families of curves, two or more each")
                      .at(net_.path(0).start())
                      .tryThis("pick another curve of the smaller family"));
    LUMSK_TRY(columnOrder, ordered(columns, rows, out.closed));
    LUMSK_TRY(rowOrder, ordered(rows, columnOrder, false));
    LUMSK_CHECK(fill(out, rowOrder, columnOrder, poles));
    return out;
  }

private:
  std::vector<int> members(int f) const {
    std::vector<int> out;
    for (int i = 0; i < net_.count(); ++i)
      if (family_[size_t(i)] == f) out.push_back(i);
    return out;
  }

  bool meetWithin(const std::vector<int>& own) const { return own.size() > 1 && !net_.list(own[0], own[1]).empty(); }
  bool allClosed(const std::vector<int>& own) const { return net_.path(own[0]).closed(); }

  /// Ends where all columns meet one another: their points.
  std::vector<Vec3> polesOf(const std::vector<int>& columns) const {
    std::vector<Vec3> out;
    if (!meetWithin(columns)) return out;
    for (const Meeting& m : net_.list(columns[0], columns[1])) out.push_back(m.middle());
    return out;
  }

  /// Whether the second-lowest of a list stands before the lowest.
  bool secondComesFirst(const std::vector<int>& o) const {
    if (o.size() < 2) return false;
    std::vector<int> sorted = o;
    std::sort(sorted.begin(), sorted.end(), [&](int a, int b) { return net_.before(a, b); });
    return std::find(o.begin(), o.end(), sorted[1]) < std::find(o.begin(), o.end(), sorted[0]);
  }

  /// Members of one family in the order in which the others are crossed, in the direction from the lowest rank to the
  /// next lower one: curves added later do not turn it. Around closed curves the lowest is first, and the lower of its
  /// neighbours second.
  Expected<std::vector<int>> ordered(const std::vector<int>& own, const std::vector<int>& other, bool around) const {
    const auto along = [&](int by) {
      std::vector<int> o = own;
      std::sort(o.begin(), o.end(),
                [&](int a, int b) { return net_.lengthOn(by, net_.best(by, a), a) < net_.lengthOn(by, net_.best(by, b), b); });
      const auto lower = [&](int a, int b) { return net_.before(a, b); };
      if (around) std::rotate(o.begin(), std::min_element(o.begin(), o.end(), lower), o.end());
      if (around ? o.size() > 2 && net_.before(o.back(), o[1]) : secondComesFirst(o))
        std::reverse(o.begin() + (around ? 1 : 0), o.end());
      return o;
    };
    const std::vector<int> first = along(other[0]);
    for (int by : other) {
      const std::vector<int> here = along(by);
      if (here == first) continue;
      const size_t k = size_t(std::mismatch(here.begin(), here.end(), first.begin()).first - here.begin());
      return fail(
          problem("LM-N009", "curves " + curveNumber(other[0]) + " and " + curveNumber(by) + " cross the others in different orders")
              .at(net_.best(by, here[k]).middle())
              .tryThis("curves of one family must not cross one another"));
    }
    return first;
  }

  Expected<void> fill(SortedNetwork& out, const std::vector<int>& rows, const std::vector<int>& columns,
                      const std::vector<Vec3>& poles) const {
    out.overhang.assign(size_t(net_.count()), 0.0);
    out.overhangAt.assign(size_t(net_.count()), Vec3::Zero());
    for (int r : rows) out.rows.push_back({r, false});
    for (int c : columns) out.columns.push_back({c, false});
    for (auto& c : out.columns)
      c.reversed = rows.size() > 1 ? placeOn(c.index, rows[0]) > placeOn(c.index, rows.back()) : false;
    for (auto& r : out.rows) r.reversed = backwards(r.index, columns, out.closed);
    // Poles go before the first or after the last row.
    std::vector<bool> poleFirst;
    for (const Vec3& p : poles) {
      SortedCurve& c = out.columns[0];
      const Path& path = net_.path(c.index);
      bool atStart = (path.start() - p).norm() < (path.end() - p).norm();
      if (rows.size() == 1 && poleFirst.empty())
        for (auto& k : out.columns) {
          const Path& kp = net_.path(k.index);
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
          const Meeting m = net_.best(r.index, c.index);
          g.at = m.middle();
          g.gapMm = m.gapMm;
          g.along = directed(r, net_.lengthOn(r.index, m, c.index));
          g.across = directed(c, net_.lengthOn(c.index, m, r.index));
          out.largestGapMm = std::max(out.largestGapMm, m.gapMm);
        } else {
          const bool first = &r == &out.rows.front();
          g.at = poles[poles.size() == 2 && poleFirst[1] == first ? 1 : 0];
          g.across = first ? 0.0 : net_.length(c.index).total();
        }
        line.push_back(g);
      }
      if (out.closed) closeRow(r, line);
      out.grid.push_back(std::move(line));
    }
    return finish(out);
  }

  double placeOn(int i, int other) const { return net_.lengthOn(i, net_.best(i, other), other); }
  double directed(const SortedCurve& c, double s) const {
    return c.reversed ? net_.length(c.index).total() - s : s;
  }

  /// Whether a row runs against the order of the columns.
  bool backwards(int row, const std::vector<int>& columns, bool closed) const {
    if (!closed) return placeOn(row, columns[0]) > placeOn(row, columns.back());
    if (columns.size() == 2) return backwardsOfTwo(row);
    const double L = net_.length(row).total();
    const auto turn = [&](int c) {
      const double d = placeOn(row, c) - placeOn(row, columns[0]);
      return d < 0 ? d + L : d;
    };
    return turn(columns[1]) > turn(columns[2]);
  }

  /// Two columns say nothing of the direction: rows turn as the lowest-picked one does.
  bool backwardsOfTwo(int row) const {
    const auto area = [&](int r) {
      const Points p = polyline(net_.path(r), 16);
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
      const double L = net_.length(r.index).total();
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
          return step < kSmallestShare * net_.length(curve).total();
        };
        if (i > 0 && out.rows[j].index >= 0 &&
            tooNear(out.rows[j].index, out.grid[j][i].along - out.grid[j][i - 1].along))
          return fail(crossedTogether(out.columns[i - 1].index, out.columns[i].index, out.grid[j][i].at));
        if (j > 0 && tooNear(out.columns[i].index, out.grid[j][i].across - out.grid[j - 1][i].across))
          return fail(crossedTogether(out.rows[j - 1].index, out.rows[j].index, out.grid[j][i].at));
      }
    const auto overhang = [&](const SortedCurve& c, double first, double last) {
      if (c.index < 0) return;
      const ArcLength& l = net_.length(c.index);
      const bool before = first > l.total() - last;
      const Path& p = net_.path(c.index);
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
                                ? "curves " + curveNumber(a) + " and " + curveNumber(b) + " come too close to one another"
                                : "curve " + curveNumber(std::max(a, b)) + " goes through the pole";
    return problem("LM-N004", who).at(at).tryThis("move one of them away from there, or take it out");
  }

  const CurveCrossings& net_;
  const std::vector<int>& family_;
};

} // namespace

Expected<SortedNetwork> orderedNetwork(const CurveCrossings& crossings, const std::vector<int>& family) {
  return Ordering(crossings, family).run();
}

} // namespace lumsk::nurbs
