#include "nurbs/network/network_sides.h"

#include "nurbs/loft/loft_sides.h"
#include "nurbs/patch/loose_patch.h"
#include "nurbs/network/shape_net.h"

namespace lumsk::nurbs {

namespace {

std::string called(const SortedCurve& c) { return "curve " + std::to_string(c.index + 1); }

} // namespace

Expected<void> NetworkSides::find() {
  LUMSK_CHECK(findFlows());
  return findMirrors();
}

bool NetworkSides::hasSide(int side) const { return (side != FirstU && side != LastU) || !net_.closed; }

const SortedCurve& NetworkSides::curveAlong(int side) const {
  const auto& lying = side == FirstU || side == LastU ? net_.columns : net_.rows;
  return side == FirstU || side == FirstV ? lying.front() : lying.back();
}

Expected<void> NetworkSides::findFlows() {
  for (int side = 0; side < 4; ++side) {
    const SortedCurve& own = curveAlong(side);
    if (o_.flows[size_t(side)] == 0 || !hasSide(side) || own.index < 0) continue;
    Neighbour beside;
    if (o_.neighbour) {
      LUMSK_TRY(n, o_.neighbour(own.index));
      beside = n;
    }
    if (beside) {
      neighbours_[size_t(side)] = beside;
      orders_[size_t(side)] = o_.flows[size_t(side)];
    } else if (o_.sides[size_t(side)] != Meets::Mirror) {
      return fail(problem("LM-N013", "the side along " + called(own) + " is to flow on, but lies on no skin")
                      .at(curves_[size_t(own.index)].path.at(0.5 * curves_[size_t(own.index)].path.last()))
                      .tryThis("pick the skin under \"Flows into\", or leave this side free"));
    }
  }
  return {};
}

Expected<void> NetworkSides::findMirrors() {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const auto& line : net_.grid)
    for (const GridPoint& g : line) low = low.cwiseMin(g.at), high = high.cwiseMax(g.at);
  size_ = (high - low).norm();
  for (int side = 0; side < 4; ++side) {
    const bool u = side == FirstU || side == LastU, first = side == FirstU || side == FirstV;
    if (o_.sides[size_t(side)] == Meets::Free || orders_[size_t(side)] > 0 || !hasSide(side)) continue;
    const SortedCurve& own = curveAlong(side);
    if (own.index < 0) continue; // a pole is flat by itself
    LUMSK_TRY(plane, planeOfSide(polyline(curves_[size_t(own.index)].path, 16), o_.mirror, leaving(u, first),
                                 cx_.tolerances.point, {"LM-N011", "curve " + std::to_string(own.index + 1)}));
    LUMSK_CHECK(checkCurves(u, first, plane.normal(), o_.sides[size_t(side)]));
    Mirrors& m = u ? rows_ : columns_;
    (first ? m.first : m.last) = plane;
  }
  return {};
}

/// Direction of a curve that ends at a side.
Vec3 NetworkSides::leaving(bool rows, bool first) const {
  const auto& ending = rows ? net_.rows : net_.columns;
  size_t k = 0;
  while (ending[k].index < 0) ++k;
  const GridPoint& g = rows ? (first ? net_.grid[k].front() : net_.grid[k].back())
                            : (first ? net_.grid.front()[k] : net_.grid.back()[k]);
  return derivatives(ending[k], rows ? g.along : g.across)[1].normalized();
}

/// The curves that end at a side must meet its plane as the skin is asked to: it passes through them.
Expected<void> NetworkSides::checkCurves(bool rows, bool first, const Vec3& n, Meets meets) const {
  const auto& ending = rows ? net_.rows : net_.columns;
  for (size_t k = 0; k < ending.size(); ++k) {
    if (ending[k].index < 0) continue;
    const GridPoint& g = rows ? (first ? net_.grid[k].front() : net_.grid[k].back())
                              : (first ? net_.grid.front()[k] : net_.grid.back()[k]);
    const CurveDerivatives d = derivatives(ending[k], rows ? g.along : g.across);
    const std::string who = "curve " + std::to_string(ending[k].index + 1);
    const PlaneLeaving leaves = leavingPlane(d, n);
    const double turn = degFromRad(leaves.angleRad);
    if (turn > cx_.tolerances.angle.deg)
      return fail(problem("LM-N010", who + " does not meet the mirror plane squarely")
                      .measure(degrees(turn))
                      .want(degrees(cx_.tolerances.angle.deg))
                      .at(d[0])
                      .tryThis("set the end of this curve square to the plane, or leave this side free"));
    if (const double kink = leaves.bendRate * size_ * size_; meets == Meets::Mirror && kink > kFlatKink)
      return fail(problem("LM-N010", "the curvature of " + who + " has a kink at the mirror plane (dk/ds L²)")
                      .measure(ratio(kink))
                      .want(ratio(kFlatKink))
                      .at(d[0])
                      .tryThis("set the end of this curve to G3, or this side to square"));
  }
  return {};
}

CurveDerivatives NetworkSides::derivatives(const SortedCurve& c, double s) const {
  const ArcLength& l = lengths_[size_t(c.index)];
  CurveDerivatives d;
  const Path& path = curves_[size_t(c.index)].path;
  path.derivatives(std::clamp(l.parameterAt(c.reversed ? l.total() - s : s), 0.0, path.last()), 3, d);
  return d;
}

/// Order to which a side has been made to meet something.
int NetworkSides::orderOf(int side) const {
  if (orders_[size_t(side)] > 0) return orders_[size_t(side)];
  return lumsk::orderOf(o_.sides[size_t(side)]);
}

std::array<bool, 4> NetworkSides::sidesAt(const NetworkPatch& p) const {
  return {p.firstColumn == 0, size_t(p.firstColumn) + p.columnsAt.size() == net_.columns.size(), p.firstRow == 0,
          size_t(p.firstRow) + p.rowsAt.size() == net_.rows.size()};
}

void NetworkSides::makeEven(NetworkPatch& p) const {
  ShapeNetOptions even;
  even.smoothMm = o_.follow.mm - cx_.tolerances.fit.mm;
  const std::array<bool, 4> here = sidesAt(p);
  for (int side : {FirstV, LastV}) {
    const bool pole =
        net_.rows[size_t(side == FirstV ? p.firstRow : p.firstRow + int(p.rowsAt.size()) - 1)].index < 0;
    even.locks[size_t(side)] = pole ? 2 : here[size_t(side)] ? orderOf(side) : 0;
  }
  p.surface = shapedNet(p.surface, {}, even).surface;
}

Expected<void> NetworkSides::loosen(NetworkPatch& p, NetworkResult& out) const {
  static constexpr std::array<Side, 4> kSides{FirstV, LastU, LastV, FirstU}; // as patches count them
  static constexpr Meets kFlows[] = {Meets::G0, Meets::G1, Meets::G2, Meets::G3};
  const std::array<bool, 4> here = sidesAt(p);
  const Surface& s = p.surface;
  std::array<Path, 4> borders;
  std::array<std::optional<ArcLength>, 4> lengths;
  std::array<PatchSide, 4> sides;
  for (size_t k = 0; k < 4; ++k) {
    const Side side = kSides[k];
    const bool u = side == FirstU || side == LastU;
    const double end = side == FirstU || side == FirstV ? 0.0 : 1.0;
    const Spline line = u ? s.isoU(end) : s.isoV(end);
    sides[k].ends = {line.at(line.first()), line.at(line.last())};
    auto path = Path::make({line}, cx_.tolerances.point);
    if (!path) continue; // a pole
    borders[k] = std::move(*path);
    lengths[k].emplace(borders[k]);
    sides[k].path = &borders[k];
    sides[k].length = &*lengths[k];
    const Mirrors& m = u ? rows_ : columns_;
    const auto& plane = end == 0 ? m.first : m.last;
    if (!here[size_t(side)]) continue;
    sides[k].meets = kFlows[orders_[size_t(side)]];
    sides[k].neighbour = neighbours_[size_t(side)];
    if (!plane) continue;
    sides[k].plane = plane->normal();
    sides[k].meets = o_.sides[size_t(side)];
  }
  std::vector<Path> inside;
  for (size_t i = 1; i + 1 < p.columnsAt.size(); ++i) LUMSK_CHECK(addLine(inside, s.isoU(p.columnsAt[i])));
  for (size_t j = 1; j + 1 < p.rowsAt.size(); ++j) LUMSK_CHECK(addLine(inside, s.isoV(p.rowsAt[j])));
  PatchFitOptions fit;
  for (const Path& line : inside) fit.guides.push_back(&line);
  double off = 0;
  LUMSK_TRY(made, fitPatchLoosely(sides, fit, {o_.follow.mm - cx_.tolerances.fit.mm}, cx_, off));
  p.surface = std::move(made.surface);
  out.corners.insert(out.corners.end(), made.corners.begin(), made.corners.end());
  for (size_t k = 0; k < 4; ++k) out.joins[size_t(kSides[k])].take(made.joins[k], cx_.tolerances);
  return {};
}

Expected<void> NetworkSides::addLine(std::vector<Path>& to, const Spline& line) const {
  LUMSK_TRY(path, Path::make({line}, cx_.tolerances.point));
  to.push_back(std::move(path));
  return {};
}

Expected<void> NetworkSides::flowOn(NetworkPatch& p, NetworkResult& out) const {
  const int lastColumn = p.firstColumn + int(p.columnsAt.size()) - 1, lastRow = p.firstRow + int(p.rowsAt.size()) - 1;
  const std::array<bool, 4> here = sidesAt(p);
  for (const int side : {FirstU, LastU, FirstV, LastV}) {
    if (!here[size_t(side)] || orders_[size_t(side)] == 0) continue;
    const bool u = side == FirstU || side == LastU, first = side == FirstU || side == FirstV;
    static constexpr Meets kinds[] = {Meets::Free, Meets::G1, Meets::G2, Meets::G3};
    LoftSide flow;
    flow.side = first ? FirstU : LastU;
    flow.flow = LoftEndOptions(kinds[orders_[size_t(side)]]);
    flow.flow.neighbour = neighbours_[size_t(side)];
    flow.keep = u ? p.columnsAt : p.rowsAt;
    flow.called = "the side along " + called(curveAlong(side));
    // Sides across it that have been made before stay as they are.
    if (!u) flow.endOrders = {here[FirstU] ? orderOf(FirstU) : 0, here[LastU] ? orderOf(LastU) : 0};
    if (u) flow.endOrders = {columns_.first ? orderOf(FirstV) : 0, columns_.last ? orderOf(LastV) : 0};
    const auto& across = u ? net_.rows : net_.columns;
    const size_t from = size_t(u ? p.firstRow : p.firstColumn), count = (u ? p.rowsAt : p.columnsAt).size();
    const bool around = !u && net_.closed && p.surface.closedU();
    for (size_t k = 0; k < count - (around ? 1 : 0); ++k) {
      const SortedCurve& c = across[(from + k) % across.size()];
      flow.sectionsCalled.push_back(called(c));
      const size_t end = size_t(u ? (first ? p.firstColumn : lastColumn) : (first ? p.firstRow : lastRow));
      if (c.index < 0)
        flow.sections.push_back({net_.grid[from + k][0].at, Vec3::Zero(), Vec3::Zero(), Vec3::Zero()});
      else if (u)
        flow.sections.push_back(derivatives(c, net_.grid[from + k][end].along));
      else
        flow.sections.push_back(derivatives(c, net_.grid[end][(from + k) % across.size()].across));
    }
    const LoftAcross places(u ? p.rowsAt : p.columnsAt, kNetworkDegree, {}, around);
    const Surface turned = u ? p.surface : exchanged(p.surface);
    LUMSK_TRY(made, flowingOver(turned, flow, places, cx_, out.joins[size_t(side)]));
    p.surface = u ? std::move(made) : exchanged(made, p.surface.closedU());
  }
  return {};
}

} // namespace lumsk::nurbs
