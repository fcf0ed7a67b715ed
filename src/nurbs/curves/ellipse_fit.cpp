#include "nurbs/curves/ellipse_fit.h"

#include <Eigen/Dense>
#include <cmath>

namespace lumsk::nurbs {

namespace {
constexpr double kLeastSweepDeg = 20.0;
}

std::optional<EllipseArc> ellipseThrough(const Points& points, bool closed, double mm) {
  const Eigen::Index n = points.rows();
  if (n < 8) return {};
  const PlaneOfPoints plane = fitPlane(points);
  if (!plane.unique || plane.deviationMm > mm) return {};
  Eigen::MatrixXd M(n, 5);
  const double size = (points.colwise().maxCoeff() - points.colwise().minCoeff()).norm();
  for (Eigen::Index i = 0; i < n; ++i) {
    const Vec3 q = plane.frame.local(points.row(i).transpose()) / size;
    M.row(i) << q.x() * q.x(), q.x() * q.y(), q.y() * q.y(), q.x(), q.y();
  }
  const Eigen::VectorXd k = M.colPivHouseholderQr().solve(Eigen::VectorXd::Ones(n));
  Eigen::Matrix2d Q;
  Q << k[0], 0.5 * k[1], 0.5 * k[1], k[2];
  if (!(Q.determinant() > 1e-9 * Q.squaredNorm())) return {}; // a hyperbola, a parabola or lines
  const Vec2 centre = -0.5 * Q.inverse() * Vec2(k[3], k[4]);
  const double level = 1 + centre.dot(Q * centre);
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> e(Q / level);
  if (!(e.eigenvalues()[0] > 0)) return {};
  EllipseArc out;
  const auto inSpace = [&](const Vec2& d) { return Vec3(d.x() * plane.frame.x + d.y() * plane.frame.y); };
  out.centre = plane.frame.at(size * centre.x(), size * centre.y());
  out.u = inSpace(e.eigenvectors().col(0)) * size / std::sqrt(e.eigenvalues()[0]);
  out.v = inSpace(e.eigenvectors().col(1)) * size / std::sqrt(e.eigenvalues()[1]);
  double angle = 0, first = 0;
  for (Eigen::Index i = 0; i < n; ++i) {
    const Vec3 p = points.row(i).transpose(), r = p - out.centre;
    const double a = std::atan2(r.dot(out.v) / out.v.squaredNorm(), r.dot(out.u) / out.u.squaredNorm());
    if ((std::cos(a) * out.u + std::sin(a) * out.v - r).norm() > mm) return {};
    if (i == 0)
      first = angle = a;
    else
      angle += std::remainder(a - angle, 2 * kPi);
  }
  if (closed) angle = first + (angle > first ? 2 * kPi : -2 * kPi);
  if (std::abs(angle - first) < radFromDeg(kLeastSweepDeg)) return {};
  out.fromRad = first;
  out.toRad = angle;
  return out;
}

} // namespace lumsk::nurbs
