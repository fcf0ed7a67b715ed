#include "nurbs/core/spline.h"

#include <algorithm>

namespace lumsk::nurbs {

Expected<Spline> Spline::make(int degree, Knots knots, Points points, bool closed) {
  const auto n = points.rows();
  if (degree < 1 || degree > kMaxDegree)
    return fail(problem("LM-G001", "the degree of a spline is out of range")
                    .measure(count(degree))
                    .tryThis("take a degree from 1 to " + std::to_string(kMaxDegree)));
  if (n < degree + 1)
    return fail(problem("LM-G001", "too few control points for this degree")
                    .measure(count(double(n)))
                    .want(count(degree + 1))
                    .tryThis("add points or lower the degree"));
  if (knots.size() != size_t(n) + degree + 1 || !std::is_sorted(knots.begin(), knots.end()) ||
      !(knots.back() > knots.front()))
    return fail(problem("LM-G001", "the knots do not fit the control points"));
  for (Eigen::Index i = 0; i < n; ++i)
    if (!usable(points.row(i).transpose()))
      return fail(problem("LM-G002", "control point " + std::to_string(i + 1) + " is not a usable place")
                      .tryThis("use coordinates within 1000000 mm"));
  return trusted(degree, std::move(knots), std::move(points), closed);
}

Spline Spline::trusted(int degree, Knots knots, Points points, bool closed) {
  Spline s;
  s.degree_ = degree;
  s.knots_ = std::move(knots);
  s.points_ = std::move(points);
  s.closed_ = closed;
  return s;
}

Vec3 Spline::at(double u) const {
  double N[kMaxDegree + 1];
  const int f = basisFunctions(knots_, degree_, u, N);
  Vec3 p = Vec3::Zero();
  for (int j = 0; j <= degree_; ++j) p += N[j] * points_.row(f + j).transpose();
  return p;
}

void Spline::derivatives(double u, int order, CurveDerivatives& out) const {
  BasisDerivatives b;
  basisDerivatives(knots_, degree_, u, order, b);
  for (int k = 0; k <= order; ++k) {
    Vec3 d = Vec3::Zero();
    for (int j = 0; j <= degree_; ++j) d += b.value[k][j] * points_.row(b.first + j).transpose();
    out[k] = d;
  }
}

Vec3 Spline::tangent(double u) const {
  CurveDerivatives d;
  derivatives(u, 1, d);
  return d[1];
}

double curvature(const CurveDerivatives& d) {
  const double speed = d[1].norm();
  return speed > 0 ? d[1].cross(d[2]).norm() / (speed * speed * speed) : 0.0;
}

double torsion(const CurveDerivatives& d) {
  const Vec3 c = d[1].cross(d[2]);
  const double n = c.squaredNorm();
  return n > 0 ? c.dot(d[3]) / n : 0.0;
}

} // namespace lumsk::nurbs
