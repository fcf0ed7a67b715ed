#include "nurbs/loft/loft_end_rows.h"

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

} // namespace

Expected<Rows> endRows(const LeavingLoft& l, size_t k, int e) {
  const LoftEndOptions& end = e ? l.options.end : l.options.start;
  const int n = l.places.count();
  const Rows& strip = l.strips[k].rows;
  const Meets kind = end.kind;
  const double pull = end.pull;
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
