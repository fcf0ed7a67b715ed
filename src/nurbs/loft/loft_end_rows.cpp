#include "nurbs/loft/loft_end_rows.h"

#include "nurbs/fit/spaces.h"
#include "nurbs/joins/side_conditions.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

/// In a point, too, the skin leaves as the guides do; they have to leave it in its tangent plane.
Expected<void> followAtPoint(const LeavingLoft& l, size_t k, int e, const Vec3& normal, Rows& row) {
  const size_t guides = l.spread.guides().size();
  const Section& section = e ? l.places.sections.back() : l.places.sections.front();
  LUMSK_TRY(share, guideShares(l.spread, int(k), l.strips[k]));
  Rows miss(Eigen::Index(guides), 3);
  for (size_t g = 0; g < guides; ++g) {
    const Vec3 d = l.run->derivatives(g, e)[0];
    const double turn = std::abs(90 - degFromRad(angleBetweenRad(d, normal)));
    if (turn > l.tolerances.angle.deg)
      return fail(problem("LM-L026", "guide " + std::to_string(g + 1) + " does not leave the point squarely")
                      .measure(degrees(turn))
                      .want(degrees(l.tolerances.angle.deg))
                      .at(*section.point())
                      .tryThis("let the guide leave the point in its tangent plane, or let it be pointed"));
    miss.row(Eigen::Index(g)).setZero();
    if (const auto t = l.spread.on(int(k), g))
      miss.row(Eigen::Index(g)) = (d - l.strips[k].at(row.row(0), *t)).transpose();
  }
  for (Eigen::Index c = 0; c < row.cols() / 3; ++c)
    for (Eigen::Index g = 0; g < miss.rows(); ++g) row.row(0).segment<3>(3 * c) += share(g, c) * miss.row(g);
  return {};
}

/// Sums arc lengths between two sections.
void arcSums(const Rows& s, int i, int j, const Vec3& normal, bool inPlane, double& arcs, double& weight) {
  for (Eigen::Index c = 0; c < s.cols() / 3; ++c) {
    const Vec3 d = (s.row(j) - s.row(i)).segment<3>(3 * c).transpose();
    const Vec3 flat = d - d.dot(normal) * normal;
    arcs += arcOver(d, inPlane ? flat : normal);
    weight += inPlane ? flat.norm() : 1.0;
  }
}

constexpr int kEvenSpans = 4; ///< of what is added at an end of a loft along a line
constexpr double kReachOfWay = 0.5, kReachBySize = 2; ///< how far it reaches with a pull of 1, at most
constexpr double kLeastReach = 1e-3;                  ///< of the way to the next section
constexpr int kLeavingSpans = 6, kLeavingDegree = 5;

/// Control values, one column an order, of functions with one derivative at an end that are nought beyond a reach.
AcrossRows leavingFunctions(int degree, int orders, int e, double reach) {
  constexpr double kWhole = 1 - 1e-6;
  std::vector<double> breaks{0.0, 1.0};
  for (int i = 1; i <= kLeavingSpans; ++i)
    if (const double x = reach * i / kLeavingSpans; x < kWhole) breaks.push_back(e ? 1 - x : x);
  std::sort(breaks.begin(), breaks.end());
  AcrossRows out{degree, clampedKnots(degree, breaks), {}};
  EndFunctionOptions smooth;
  smooth.most = orders;
  smooth.reach = std::min(reach, 1.0);
  out.controls = endFunctions(degree, out.knots, e == 0, smooth)->transpose();
  return out;
}

} // namespace

AcrossRows leavingAs(const AcrossRows& rows, const Rows& wanted, const CarriedWay& way, int e,
                     const std::vector<double>& reach) {
  const int orders = int(wanted.rows()), degree = std::max({rows.degree, kLeavingDegree, orders + 3});
  const double v = e ? 1.0 : 0.0;
  std::vector<Eigen::RowVectorXd> own;
  for (int q = 0; q <= orders; ++q) own.push_back(valueOf(rows.degree, rows.knots, rows.controls, v, q));
  Rows add = Rows::Zero(orders + 1, wanted.cols());
  for (Eigen::Index c = 0; c < wanted.cols(); c += 3) {
    std::array<Vec3, 4> local;
    std::array<Vec3, 3> moves;
    local[0] = own[0].segment<3>(c).transpose();
    for (int q = 1; q <= orders; ++q) moves[size_t(q - 1)] = wanted.row(q - 1).segment<3>(c).transpose();
    way.solve(local, moves, orders);
    for (int q = 1; q <= orders; ++q)
      add.row(q).segment<3>(c) = local[size_t(q)].transpose() - own[size_t(q)].segment<3>(c);
  }
  AcrossRows out{degree, raisedKnots(rows.knots, rows.degree, degree), {}};
  out.controls = rowsIn(rows.degree, rows.knots, rows.controls, degree, out.knots);
  // Reaches between two are made of both: every mixture has the derivatives.
  const auto [least, most] = std::minmax_element(reach.begin(), reach.end());
  for (const bool far : {false, true}) {
    if (far && !(*most > *least)) break;
    Rows part = add;
    for (Eigen::Index c = 0; c < part.cols(); ++c) {
      const double share = *most > *least ? (reach[size_t(c / 3)] - *least) / (*most - *least) : 0.0;
      part.col(c) *= far ? share : 1 - share;
    }
    const AcrossRows more = leavingFunctions(degree, orders, e, far ? *most : *least);
    const Knots both = knotsOfBoth(out.knots, more.knots);
    out.controls = rowsIn(degree, out.knots, out.controls, degree, both) +
                   rowsIn(degree, more.knots, more.controls * part, degree, both);
    out.knots = both;
  }
  return out;
}

Expected<AcrossRows> levelOutside(const Rows& local, const std::vector<double>& v, const std::array<bool, 2>& carriedOn, int degree) {
  constexpr int kLevel = 2;
  const int n = int(v.size());
  const int first = carriedOn[0] ? 1 : 0, last = n - 1 - (carriedOn[1] ? 1 : 0);
  const double from = v[size_t(first)], way = v[size_t(last)] - from;
  std::vector<double> own;
  for (int i = first; i <= last; ++i) own.push_back((v[size_t(i)] - from) / way);
  own.back() = 1;
  const auto level = [&](bool on) { return Rows(Rows::Zero(on ? kLevel : 0, local.cols())); };
  LUMSK_TRY(made, LoftAcross(own, degree, {}, false).through(local.middleRows(first, last - first + 1), level(carriedOn[0]), level(carriedOn[1])));
  const int p = made.degree;
  std::vector<double> breaks{0.0};
  if (first > 0) breaks.insert(breaks.end(), size_t(p - kLevel), from);
  for (size_t k = size_t(p) + 1; k + size_t(p) + 1 < made.knots.size(); ++k) breaks.push_back(from + way * made.knots[k]);
  if (last < n - 1) breaks.insert(breaks.end(), size_t(p - kLevel), from + way);
  breaks.push_back(1.0);
  AcrossRows out{p, clampedKnots(p, breaks), {}};
  const std::vector<double> places = greville(out.knots, p);
  Rows values(Eigen::Index(places.size()), local.cols());
  for (size_t k = 0; k < places.size(); ++k)
    values.row(Eigen::Index(k)) = valueOf(p, made.knots, made.controls, std::clamp((places[k] - from) / way, 0.0, 1.0));
  out.controls = rowsThrough(p, out.knots, std::move(values));
  return out;
}

std::vector<double> carriedReach(const LeavingLoft& l, int e, const Rows& rows, double speed) {
  const LoftEndOptions& end = e ? l.options.end : l.options.start;
  const Eigen::Map<const Points> places(rows.row(e ? l.places.count() - 1 : 0).data(), rows.cols() / 3, 3);
  const double size = (places.colwise().maxCoeff() - places.colwise().minCoeff()).norm();
  const std::vector<double>& v = l.parameters;
  const double whole = e ? 1 - v[v.size() - 2] : v[1];
  const double reach = end.pull * std::min(kReachOfWay * whole, kReachBySize * size / speed);
  std::vector<double> out;
  for (size_t k = 0; k < l.strips.size(); ++k) {
    const LoftStrip& strip = l.strips[k];
    for (const double g : greville(strip.fit.knots, strip.fit.degree)) {
      const double t = std::clamp(g * strip.whole() - strip.before, 0.0, 1.0);
      const double factor = end.along ? end.along(l.places.fraction(e ? l.places.count() - 1 : 0, int(k), t)) : 1.0;
      out.push_back(std::clamp(reach * factor, kLeastReach * whole, whole));
    }
  }
  return out;
}

Surface withEnd(const Surface& s, Side side, const Rows& wanted, const std::vector<double>& keep, bool carried) {
  if (wanted.rows() == 0) return s;
  const Rows rows = rowsAcross(s);
  Rows add = Rows::Zero(wanted.rows() + 1, wanted.cols());
  for (Eigen::Index q = 0; q < wanted.rows(); ++q)
    add.row(q + 1) = wanted.row(q) - valueOf(s.degreeV(), s.knotsV(), rows, side == FirstV ? 0.0 : 1.0, int(q) + 1);
  if (carried) return addedAtSide(s, side, add, keep, EndShape::Local); // what its fit has left over
  // In a space without the line's jumps: functions that may bend abruptly there would.
  const Knots even = uniformKnots(s.degreeV(), kEvenSpans);
  const int across = int(even.size()) - s.degreeV() - 1;
  const Surface change = addedAtSide(Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), even, Points::Zero(s.sizeU() * across, 3), s.closedU()),
                                     side, add, keep, EndShape::Smooth);
  const Knots both = knotsOfBoth(s.knotsV(), change.knotsV());
  Surface sum = withSpaceV(s, s.degreeV(), both);
  const Surface more = withSpaceV(change, s.degreeV(), both);
  for (int i = 0; i < sum.sizeU(); ++i)
    for (int j = 0; j < sum.sizeV(); ++j) sum.point(i, j) += more.point(i, j);
  return sum;
}

Expected<Rows> endRows(const LeavingLoft& l, size_t k, int e) {
  const LoftEndOptions& end = e ? l.options.end : l.options.start;
  const int n = l.places.count();
  const Rows& strip = l.strips[k].rows;
  const Meets kind = end.kind;
  const double pull = l.options.carrier ? 1.0 : end.pull; // of what is carried it says how far it reaches
  const int i = e ? n - 1 : 0, j = e ? n - 2 : 1;
  const double dv = std::abs(l.parameters[j] - l.parameters[i]);
  const double sign = e ? -1.0 : 1.0;
  if (l.ends.order(e) > 0) {
    Rows rows = l.strips[k].cross[size_t(e)];
    double scale = 1.0;
    for (Eigen::Index q = 0; q < rows.rows(); ++q) rows.row(q) *= scale *= sign * pull / dv;
    return rows;
  }
  if (kind != Meets::Perpendicular && kind != Meets::Flat) return Rows(0, strip.cols());
  Rows row = Rows::Zero(kind == Meets::Flat ? 2 : 1, strip.cols());
  if (l.places.sections[size_t(i)].point()) {
    LUMSK_TRY(normal, planeTowards(l.places, j, i, l.tolerances.point));
    // D = s (Q - P) in the tangent plane: linear in Q, so it is exact on the same knots, and all normals agree.
    double arcs = 0.0, reach = 0.0;
    for (const LoftStrip& s : l.strips) arcSums(s.rows, i, j, normal, true, arcs, reach);
    const double scale = sign * pull * arcs / reach / dv;
    for (Eigen::Index c = 0; c < strip.cols() / 3; ++c) {
      const Vec3 d = (strip.row(j) - strip.row(i)).segment<3>(3 * c).transpose();
      row.row(0).segment<3>(3 * c) = (scale * (d - d.dot(normal) * normal)).transpose();
    }
    if (l.run) LUMSK_CHECK(followAtPoint(l, k, e, normal, row));
    return row;
  }
  LUMSK_TRY(normal, planeTowards(l.places, i, j, l.tolerances.point));
  double arcs = 0.0, number = 0.0;
  for (const LoftStrip& s : l.strips) arcSums(s.rows, i, j, normal, false, arcs, number);
  for (Eigen::Index c = 0; c < strip.cols() / 3; ++c)
    row.row(0).segment<3>(3 * c) = (sign * pull * arcs / number / dv * normal).transpose();
  return row;
}

} // namespace lumsk::nurbs
