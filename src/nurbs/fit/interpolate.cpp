#include "nurbs/fit/interpolate.h"

#include <Eigen/LU>
#include <cmath>

namespace lumsk::nurbs {

std::vector<double> parametersFor(const Points& points, Spacing spacing, bool closed) {
  const int n = int(points.rows());
  std::vector<double> t{0.0};
  for (int i = 1; i < n + (closed ? 1 : 0); ++i) {
    const double d = (points.row(i % n) - points.row(i - 1)).norm();
    t.push_back(t.back() + (spacing == Spacing::Centripetal ? std::sqrt(d) : d));
  }
  for (double& v : t) v /= t.back();
  return t;
}

namespace {

Knots knotsWithDerivatives(const std::vector<double>& t, int p, Eigen::Index start, Eigen::Index end) {
  // As if the end parameters stood once more for every derivative: averaging then leaves the right number of knots.
  std::vector<double> s(size_t(start), t.front());
  s.insert(s.end(), t.begin(), t.end());
  s.insert(s.end(), size_t(end), t.back());
  return averagedKnots(p, s);
}

} // namespace

RowInterpolation interpolateClosedRows(const std::vector<double>& t, const Rows& values, int p) {
  const int n = int(values.rows());
  std::vector<double> breaks = t;
  double shift = 0.0;
  if (p % 2 == 0) {
    // Even degrees are well posed with knots between the data: the whole knot vector is turned by half a span.
    shift = 0.5 * (t[1] - t[0]);
    for (int i = 0; i < n; ++i) breaks[i] = 0.5 * (t[i] + t[i + 1]) - shift;
    breaks[n] = breaks[0] + 1.0;
  }
  const Knots U = periodicKnots(p, breaks);
  Eigen::MatrixXd A = Eigen::MatrixXd::Zero(n, n);
  double N[kMaxDegree + 1];
  for (int i = 0; i < n; ++i) {
    double x = t[i] - shift;
    if (x < 0) x += 1.0;
    const int f = basisFunctions(U, p, x, N);
    for (int j = 0; j <= p; ++j) A(i, (f + j) % n) += N[j];
  }
  const Eigen::MatrixXd P = A.partialPivLu().solve(Eigen::MatrixXd(values));
  RowInterpolation out;
  // Three columns at a time, as points.
  for (Eigen::Index c = 0; c < values.cols(); c += 3) {
    const Eigen::Index many = std::min<Eigen::Index>(3, values.cols() - c);
    Points wrapped = Points::Zero(n + p, 3);
    for (int i = 0; i < n + p; ++i) wrapped.row(i).head(many) = P.row(i % n).segment(c, many);
    const Spline s = clamp(p, U, wrapped, true);
    if (c == 0) out.knots = s.knots(), out.controls = Rows::Zero(s.size(), values.cols());
    out.controls.middleCols(c, many) = s.points().leftCols(many);
  }
  out.controls.row(out.controls.rows() - 1) = out.controls.row(0);
  return out;
}

Expected<RowInterpolation> interpolateRows(const std::vector<double>& t, const Rows& values, int p,
                                           const Rows& startDerivatives, const Rows& endDerivatives) {
  const Eigen::Index ds = startDerivatives.rows(), de = endDerivatives.rows();
  const int n = int(t.size()) + int(ds + de);
  if (n < p + 1) return fail(problem("LM-G001", "too few rows for this degree").measure(count(n)).want(count(p + 1)));
  RowInterpolation out;
  out.knots = knotsWithDerivatives(t, p, ds, de);
  BandedLu A(n, p, p);
  Rows rhs(n, values.cols());
  int row = 0;
  const auto put = [&](double u, int order, const auto& value) {
    BasisDerivatives b;
    basisDerivatives(out.knots, p, u, order, b);
    for (int j = 0; j <= p; ++j)
      if (std::abs(b.first + j - row) <= p) A.at(row, b.first + j) = b.value[size_t(order)][size_t(j)];
    rhs.row(row++) = value;
  };
  for (size_t i = 0; i < t.size(); ++i) {
    for (Eigen::Index k = de; k > 0 && i + 1 == t.size(); --k) put(t.back(), int(k), endDerivatives.row(k - 1));
    put(t[i], 0, values.row(Eigen::Index(i)));
    for (Eigen::Index k = 1; k <= ds && i == 0; ++k) put(t.front(), int(k), startDerivatives.row(k - 1));
  }
  if (!A.factor())
    return fail(problem("LM-G008", "the points cannot be joined by one spline").tryThis("space them more evenly"));
  A.solve(rhs);
  out.controls = std::move(rhs);
  return out;
}

Expected<Spline> interpolate(const Points& given, const InterpolationOptions& o) {
  Points points = given;
  if (o.closed && points.rows() > 2 && (points.row(0) - points.row(points.rows() - 1)).norm() == 0)
    points = Points(given.topRows(given.rows() - 1));
  const int n = int(points.rows());
  for (int i = 0; i < n; ++i)
    if (!usable(points.row(i).transpose()))
      return fail(problem("LM-G002", "point " + std::to_string(i + 1) + " is not a usable place")
                      .tryThis("use coordinates within 1000000 mm"));
  if (n < 2 || (o.closed && n < 3))
    return fail(problem("LM-G005", "too few points for a curve")
                    .measure(count(n))
                    .want(count(o.closed ? 3 : 2))
                    .tryThis("add points"));
  for (int i = 1; i < n + (o.closed ? 1 : 0); ++i)
    if ((points.row(i % n) - points.row(i - 1)).norm() < 1e-9)
      return fail(
          problem("LM-G006", "points " + std::to_string(i) + " and " + std::to_string(i % n + 1) + " are in one place")
              .at(points.row(i - 1).transpose())
              .tryThis("move one of them or take it out"));
  if (o.closed && n > 2000)
    return fail(problem("LM-G007", "too many points for a closed curve through all of them")
                    .measure(count(n))
                    .want(count(2000)));
  const std::vector<double> t = parametersFor(points, o.spacing, o.closed);
  if (o.closed) {
    const int p = std::min(o.degree, n - 1);
    RowInterpolation round = interpolateClosedRows(t, points, p);
    return Spline::trusted(p, round.knots, Points(round.controls), true);
  }
  const bool ds = o.startTangent.has_value(), de = o.endTangent.has_value();
  const int p = std::min(o.degree, n - 1 + ds + de);
  const double length = (points.bottomRows(n - 1) - points.topRows(n - 1)).rowwise().norm().sum();
  Rows start(ds ? 1 : 0, 3), end(de ? 1 : 0, 3);
  if (ds) start.row(0) = o.startTangent->transpose() * length;
  if (de) end.row(0) = o.endTangent->transpose() * length;
  LUMSK_TRY(rows, interpolateRows(t, points, p, start, end));
  return Spline::trusted(p, rows.knots, rows.controls);
}

Expected<Spline> interpolateMirrored(const Points& given, const MirroredEnds& ends, InterpolationOptions o,
                                     LengthTolerance point) {
  if (!ends.start && !ends.end) return interpolate(given, o);
  const Eigen::Index n = given.rows();
  Points own = given;
  if (ends.end && !ends.start) own = given.colwise().reverse(); // the plane is at the first point from here on
  const Frame& f = ends.plane;
  const auto distance = [&](const Vec3& p) { return (p - f.origin).dot(f.normal()); };
  for (Eigen::Index i : {Eigen::Index(0), n - 1}) {
    if (i > 0 && !(ends.start && ends.end)) break;
    const Vec3 p = own.row(i).transpose();
    if (std::abs(distance(p)) > point.mm)
      return fail(problem("LM-G012", "this end does not lie in the mirror plane")
                      .measure(millimetres(std::abs(distance(p))))
                      .want(millimetres(point.mm))
                      .at(p)
                      .tryThis("move the point into the plane"));
    own.row(i) = (p - distance(p) * f.normal()).transpose();
  }
  const auto image = [&](Eigen::Index i) -> Eigen::RowVector3d {
    const Vec3 p = own.row(i).transpose();
    return (p - 2 * distance(p) * f.normal()).transpose();
  };
  o.degree = std::max(o.degree, 5);
  if (ends.start && ends.end) {
    Points around(2 * n - 2, 3);
    around.topRows(n) = own;
    for (Eigen::Index i = n - 2; i > 0; --i) around.row(2 * n - 2 - i) = image(i);
    if (n == 2) return interpolate(own, o); // a straight line, square to the plane or in it
    o.closed = true;
    o.startTangent = o.endTangent = std::nullopt;
    if (o.degree % 2 == 0) ++o.degree;
    LUMSK_TRY(c, interpolate(around, o));
    const double half = parametersFor(around, o.spacing, true)[size_t(n - 1)];
    LUMSK_TRY(part, portion(c, 0.0, half));
    return normalised(part);
  }
  Points twice(2 * n - 1, 3);
  for (Eigen::Index i = 0; i < n; ++i) {
    twice.row(n - 1 + i) = own.row(i);
    twice.row(n - 1 - i) = image(i);
  }
  // The direction at the other end holds for its image too.
  const auto far = ends.start ? o.endTangent : o.startTangent;
  o.startTangent = o.endTangent = std::nullopt;
  if (far) {
    const Vec3 d = ends.start ? *far : Vec3(-*far);
    o.endTangent = 0.5 * d; // twice the length, so half the share
    o.startTangent = -0.5 * (d - 2 * d.dot(f.normal()) * f.normal());
  }
  LUMSK_TRY(c, interpolate(twice, o));
  LUMSK_TRY(part, portion(c, parametersFor(twice, o.spacing, false)[size_t(n - 1)], c.last()));
  return normalised(ends.start ? part : reversed(part));
}

} // namespace lumsk::nurbs
