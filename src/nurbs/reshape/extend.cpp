#include "nurbs/reshape/extend.h"

#include "nurbs/core/continued.h"
#include "nurbs/measure/surface_measure.h"

#include <Eigen/LU>
#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr int kDegree = 5;          ///< of the new span at least: position, tangent and bending at both of its ends
constexpr int kSteps = 24;          ///< along a line that goes on
constexpr double kSlowest = 0.3;    ///< of the mean speed, at the new border
constexpr double kMostChange = 1.0; ///< of the bending, or of `kSlight` turns of the length, that its change may add
constexpr double kSlight = 0.2;

/// Where a line that goes on ends.
struct LineEnd {
  Vec3 at, tangent, bend; ///< the latter by arc length
};

/// A line from a place with its first three derivatives by the parameter, so much further.
LineEnd goOn(const CurveDerivatives& d, double mm, GoOn how) {
  const double speed = d[1].norm();
  const Vec3 t = d[1] / speed;
  if (how == GoOn::Straight) return {d[0] + mm * t, t, Vec3::Zero()};
  const double change = d[2].dot(t);
  const Vec3 bend = (d[2] - change * t) / (speed * speed);
  Vec3 rate = how == GoOn::Natural ? Vec3((d[3] - 3 * speed * change * bend) / std::pow(speed, 3)) : Vec3(Vec3::Zero());
  rate -= rate.dot(t) * t;
  const double most = kMostChange * std::max(bend.norm(), kSlight / mm), change2 = 0.5 * mm * rate.norm();
  if (change2 > most) rate *= most / change2;
  // The bending changes less and less, and turns with the tangent.
  LineEnd e{d[0], t, bend};
  const double h = mm / kSteps;
  const auto bendAt = [&](double s, const Vec3& tangent) {
    Vec3 k = bend + (s - s * s / (2 * mm)) * rate;
    const double size = k.norm();
    // Turned from the first tangent's plane into this one's, its size kept.
    k = Eigen::Quaterniond::FromTwoVectors(t, tangent) * k;
    k -= k.dot(tangent) * tangent;
    return k.norm() > 0 ? Vec3(size * k.normalized()) : Vec3(Vec3::Zero());
  };
  for (int i = 0; i < kSteps; ++i) { // midpoints
    const double s = i * h;
    const Vec3 half = (e.tangent + 0.5 * h * bendAt(s, e.tangent)).normalized();
    const Vec3 k = bendAt(s + 0.5 * h, half);
    const double a = k.norm() * h;
    const Vec3 next = (e.tangent + h * k).normalized();
    // Along the arc of that bending.
    e.at += (a > 1e-9 ? 2 / k.norm() * std::sin(0.5 * a) : h) * (e.tangent + next).normalized();
    e.tangent = next;
  }
  e.bend = bendAt(mm, e.tangent);
  return e;
}

/// Degree in v raised to five at least.
Surface raised(const Surface& s) {
  const int by = kDegree - s.degreeV();
  if (by <= 0) return s;
  std::vector<Spline> rows;
  for (int i = 0; i < s.sizeU(); ++i)
    rows.push_back(elevate(Spline::trusted(s.degreeV(), s.knotsV(), s.grid().middleRows(i * s.sizeV(), s.sizeV())), by));
  const int n = rows.front().size();
  Points grid(s.sizeU() * n, 3);
  for (int i = 0; i < s.sizeU(); ++i) grid.middleRows(i * n, n) = rows[size_t(i)].points();
  return Surface::trusted(s.degreeU(), kDegree, s.knotsU(), rows.front().knots(), std::move(grid), s.closedU());
}

/// Bezier points of degree five made of a higher degree.
Points elevated(Points row, int degree) {
  while (row.rows() <= degree) {
    const Eigen::Index n = row.rows();
    Points next(n + 1, 3);
    next.row(0) = row.row(0), next.row(n) = row.row(n - 1);
    for (Eigen::Index i = 1; i < n; ++i) next.row(i) = double(i) / n * row.row(i - 1) + (1 - double(i) / n) * row.row(i);
    row = next;
  }
  return row;
}

Expected<Surface> beyondLastV(const Surface& given, double mm, GoOn how) {
  const Surface s = raised(given);
  const int n = s.sizeV(), order = how == GoOn::Straight ? 1 : 2;
  const auto us = greville(s.knotsU(), s.degreeU());
  std::vector<CurveDerivatives> ends;
  double mean = 0;
  for (double u : us) {
    CurveDerivatives d{};
    s.isoU(u).derivatives(s.lastV(), 3, d);
    ends.push_back(d);
    mean += d[1].norm() / double(us.size());
  }
  double along = 0;
  for (size_t i = 1; i < ends.size(); ++i) along += (ends[i][0] - ends[i - 1][0]).norm();
  if (along < 1e-6 || !(mean > 0))
    return fail(problem("LM-C030", "a skin cannot be extended beyond a point").at(ends.front()[0]).tryThis("pick another edge"));
  const double by = mm / mean;
  // The three outer points of the new span, where the lines are known, then of the rows.
  Eigen::MatrixXd N = Eigen::MatrixXd::Zero(Eigen::Index(us.size()), Eigen::Index(us.size()));
  Eigen::MatrixXd outer(Eigen::Index(us.size()), 9);
  for (size_t i = 0; i < us.size(); ++i) {
    double basis[kMaxDegree + 1];
    const int first = basisFunctions(s.knotsU(), s.degreeU(), us[i], basis);
    for (int k = 0; k <= s.degreeU(); ++k) N(Eigen::Index(i), first + k) = basis[k];
    const double speed = ends[i][1].norm();
    if (!(speed > 1e-9))
      return fail(problem("LM-C031", "the skin has no direction across its edge here").at(ends[i][0]).tryThis("extend another edge, or rebuild the skin"));
    const LineEnd e = goOn(ends[i], mm, how);
    const double out = std::max(kSlowest * mean, 2 * mean - speed);
    const Vec3 b5 = e.at, b4 = b5 - by / 5 * out * e.tangent, b3 = by * by / 20 * out * out * e.bend + 2 * b4 - b5;
    const Vec3 b2 = ends[i][0] + 2 * by / 5 * ends[i][1] + (order > 1 ? Vec3(by * by / 20 * ends[i][2]) : Vec3(Vec3::Zero()));
    if (!((b3 - b2).dot(ends[i][1]) > 0 || (b3 - b2).dot(e.tangent) > 0))
      return fail(problem("LM-C031", "the lines of the skin run too unevenly to go on so far")
                      .measure(millimetres(mm))
                      .at(ends[i][0])
                      .tryThis("extend it by another length, or rebuild the skin"));
    outer.row(Eigen::Index(i)) << b3.transpose(), b4.transpose(), b5.transpose();
  }
  const Eigen::MatrixXd controls = N.partialPivLu().solve(outer);
  std::vector<Points> rows;
  for (int i = 0; i < s.sizeU(); ++i) {
    CurveDerivatives d{};
    Spline::trusted(s.degreeV(), s.knotsV(), s.grid().middleRows(i * n, n)).derivatives(s.lastV(), 2, d);
    Points row(6, 3);
    row.row(0) = d[0].transpose();
    row.row(1) = (d[0] + by / 5 * d[1]).transpose();
    row.row(2) = (d[0] + 2 * by / 5 * d[1] + (order > 1 ? Vec3(by * by / 20 * d[2]) : Vec3(Vec3::Zero()))).transpose();
    for (int k = 0; k < 3; ++k) row.row(3 + k) = controls.row(i).segment<3>(3 * k);
    rows.push_back(elevated(std::move(row), s.degreeV()));
  }
  return withSpan(s, by, order, rows);
}

} // namespace

Expected<Surface> extended(const Surface& s, const std::array<double, 4>& mm, GoOn how, const Context& cx) {
  Surface out = s;
  const auto last = [&](double by) -> Expected<void> {
    if (!(by > 0)) return {};
    if (cx.stopped()) return fail(cancelled());
    LUMSK_TRY(made, beyondLastV(out, by, how));
    out = std::move(made);
    return {};
  };
  const auto both = [&](double first, double end) -> Expected<void> {
    LUMSK_CHECK(last(end));
    if (!(first > 0)) return {};
    out = turnedV(out);
    LUMSK_CHECK(last(first));
    out = turnedV(out);
    return {};
  };
  LUMSK_CHECK(both(mm[2], mm[3]));
  if (!s.closedU() && (mm[0] > 0 || mm[1] > 0)) {
    out = exchanged(out);
    LUMSK_CHECK(both(mm[0], mm[1]));
    out = exchanged(out);
  }
  if (const auto fold = firstFold(out); fold && !firstFold(s))
    return fail(problem("LM-C031", "the skin would fold over beyond its edge").at(*fold).tryThis("extend it straight, or by less"));
  return out;
}

} // namespace lumsk::nurbs
