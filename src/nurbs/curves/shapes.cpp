#include "nurbs/curves/shapes.h"

#include "nurbs/fit/fit.h"

#include <cmath>

namespace lumsk::nurbs {

namespace {

Expected<void> positive(double v, const char* what) {
  if (std::isfinite(v) && v > 0.001 && v <= kLargestCoordinate) return {};
  return fail(problem("LM-G005", std::string("the ") + what + " must be larger than nothing")
                  .measure(millimetres(v))
                  .tryThis("take a value from 0.001 mm up"));
}

/// Polygon corners (counter-clockwise) rounded by arcs of one radius.
Expected<Path> rounded(const Frame& on, const std::vector<Vec2>& corners, double radius, LengthTolerance point) {
  const int n = int(corners.size());
  if (!std::isfinite(radius) || radius < 0)
    return fail(problem("LM-G009", "the corner radius must not be negative").measure(millimetres(radius)));
  struct Corner {
    Vec2 in, out, centre;
    double turn;
  };
  std::vector<Corner> c(n);
  double largest = 1e300;
  for (int i = 0; i < n; ++i) {
    const Vec2 a = (corners[i] - corners[(i + n - 1) % n]).normalized(),
               b = (corners[(i + 1) % n] - corners[i]).normalized();
    const double turn = std::acos(std::clamp(a.dot(b), -1.0, 1.0)), cut = radius * std::tan(turn / 2);
    largest = std::min(largest, 0.5 * (corners[(i + 1) % n] - corners[i]).norm() / std::tan(turn / 2));
    c[i] = {corners[i] - cut * a, corners[i] + cut * b, corners[i] - cut * a + radius * Vec2(-a.y(), a.x()), turn};
  }
  if (radius > largest * (1 + 1e-9))
    return fail(problem("LM-G009", "the corner radius does not fit")
                    .measure(millimetres(radius))
                    .want(millimetres(largest))
                    .tryThis("take a smaller corner radius"));
  std::vector<Segment> out;
  const auto space = [&](const Vec2& p) { return on.at(p.x(), p.y()); };
  for (int i = 0; i < n; ++i) {
    if (radius > point.mm) {
      const Vec2 r = c[i].in - c[i].centre;
      const Vec3 u = space(c[i].in) - space(c[i].centre), v = on.x * -r.y() + on.y * r.x();
      out.push_back(EllipseArc{space(c[i].centre), u, v, 0.0, c[i].turn});
    }
    const Vec2 next = radius > point.mm ? c[(i + 1) % n].in : corners[(i + 1) % n];
    const Vec2 from = radius > point.mm ? c[i].out : corners[i];
    if ((next - from).norm() > point.mm) out.push_back(LineSegment{space(from), space(next)});
  }
  return Path::make(std::move(out), point);
}

} // namespace

Expected<Path> circle(const Frame& on, double diameter) {
  LUMSK_CHECK(positive(diameter, "diameter"));
  return Path::make({EllipseArc{on.origin, on.x * diameter / 2, on.y * diameter / 2}}, {1e-9});
}

Expected<Path> ellipse(const Frame& on, double width, double depth, LengthTolerance point) {
  LUMSK_CHECK(positive(width, "width"));
  LUMSK_CHECK(positive(depth, "depth"));
  return Path::make({EllipseArc{on.origin, on.x * width / 2, on.y * depth / 2}}, point);
}

Expected<Path> superellipse(const Frame& on, double width, double depth, double exponent, const Tolerances& tol) {
  LUMSK_CHECK(positive(width, "width"));
  LUMSK_CHECK(positive(depth, "depth"));
  if (!(exponent >= 2.05 && exponent <= 20))
    return fail(problem("LM-G005", "the exponent is out of range")
                    .measure(ratio(exponent))
                    .tryThis("take 2.05 to 20; 2 is an ellipse"));
  // The curvature vanishes at the four middles like a power n - 2, so the curve is sampled by angle, where it is even.
  const auto point = [&](double a) {
    const double c = std::cos(a), s = std::sin(a);
    const double r = std::pow(std::pow(std::abs(c), exponent) + std::pow(std::abs(s), exponent), -1.0 / exponent);
    return on.at(width / 2 * r * c, depth / 2 * r * s);
  };
  CurveFamily family;
  family.curves = 1;
  family.closed = true;
  family.sample = [&](double t, double* out) { Eigen::Map<Vec3>(out, 3) = point(2 * kPi * t); };
  LeanOptions o;
  o.fit = {0.5 * tol.fit.mm};
  o.firstSpans = 16;
  if (exponent < 3.2) {
    // The third derivative has no bound at the middles of the sides: spans shrink towards them, and only the second
    // derivative is kept there. With larger exponents the corners decide, and equal spans are fewer.
    for (int quarter = 0; quarter < 4; ++quarter) {
      o.firstBreaks.insert(o.firstBreaks.end(), 3, quarter / 4.0);
      for (const double f : {0.1, 0.5, 0.9}) o.firstBreaks.push_back((quarter + f) / 4.0);
    }
    o.firstBreaks.push_back(1.0);
  }
  LUMSK_TRY(fit, fitLean(family, o));
  return Path::make({fit.curve(0)}, tol.point);
}

Expected<Path> roundedRectangle(const Frame& on, double width, double depth, double radius, LengthTolerance point) {
  LUMSK_CHECK(positive(width, "width"));
  LUMSK_CHECK(positive(depth, "depth"));
  const double a = width / 2, b = depth / 2;
  return rounded(on, {{a, -b}, {a, b}, {-a, b}, {-a, -b}}, radius, point);
}

Expected<Path> polygon(const Frame& on, double diameter, int sides, double radius, LengthTolerance point) {
  LUMSK_CHECK(positive(diameter, "diameter"));
  if (sides < 3 || sides > 64)
    return fail(
        problem("LM-G005", "the number of sides is out of range").measure(count(sides)).tryThis("take 3 to 64 sides"));
  std::vector<Vec2> corners;
  for (int i = 0; i < sides; ++i)
    corners.push_back(diameter / 2 * Vec2(std::cos(2 * kPi * i / sides), std::sin(2 * kPi * i / sides)));
  return rounded(on, corners, radius, point);
}

Expected<Path> line(const Vec3& a, const Vec3& b, LengthTolerance point) {
  return Path::make({LineSegment{a, b}}, point);
}

Expected<Path> arc(const Frame& on, double radius, double fromDeg, double toDeg, LengthTolerance point) {
  LUMSK_CHECK(positive(radius, "radius"));
  double sweep = toDeg - fromDeg;
  if (!std::isfinite(sweep) || std::abs(sweep) > 360 + 1e-9 || sweep == 0)
    return fail(problem("LM-G005", "the arc must span more than 0 and at most 360 degrees").measure(degrees(sweep)));
  if (std::abs(std::abs(sweep) - 360) < 1e-9) sweep = sweep > 0 ? 360 : -360;
  const double a = radFromDeg(fromDeg);
  return Path::make({EllipseArc{on.origin, on.x * radius, on.y * radius, a, a + radFromDeg(sweep)}}, point);
}

Expected<Spline> controlPointSpline(const Points& points, int degree, bool closed) {
  const int n = int(points.rows());
  if (!closed) {
    const int p = std::min(degree, n - 1);
    if (n < 2)
      return fail(
          problem("LM-G005", "too few points for a curve").measure(count(n)).want(count(2)).tryThis("add points"));
    return Spline::make(p, uniformKnots(p, n - p), points);
  }
  const int p = std::min(degree, n - 1);
  if (n < 3)
    return fail(
        problem("LM-G005", "too few points for a closed curve").measure(count(n)).want(count(3)).tryThis("add points"));
  LUMSK_CHECK(Spline::make(1, uniformKnots(1, n - 1), points));
  std::vector<double> breaks(n + 1);
  for (int i = 0; i <= n; ++i) breaks[i] = double(i) / n;
  Points wrapped(n + p, 3);
  for (int i = 0; i < n + p; ++i) wrapped.row(i) = points.row(i % n);
  const Spline c = clamp(p, periodicKnots(p, breaks), wrapped, true);
  Points Q = c.points();
  Q.row(Q.rows() - 1) = Q.row(0);
  return Spline::trusted(p, c.knots(), std::move(Q), true);
}

} // namespace lumsk::nurbs
