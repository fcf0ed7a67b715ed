#include "inspect/section.h"

#include "brep/convert.h"

#include <Eigen/LU>

namespace lumsk::inspect {

LocalSurface::LocalSurface(const BRepAdaptor_Surface& s, double u, double v) {
  using brep::toVec;
  gp_Pnt p;
  gp_Vec du, dv, duu, dvv, duv, duuu, dvvv, duuv, duvv;
  s.D3(u, v, p, du, dv, duu, dvv, duv, duuu, dvvv, duuv, duvv);
  p_ = toVec(p), u_ = toVec(du), v_ = toVec(dv), uu_ = toVec(duu), vv_ = toVec(dvv), uv_ = toVec(duv);
  uuu_ = toVec(duuu), vvv_ = toVec(dvvv), uuv_ = toVec(duuv), uvv_ = toVec(duvv);
  const Vec3 n = u_.cross(v_);
  regular_ = n.norm() > 1e-12 * u_.norm() * v_.norm() && n.norm() > 0;
  if (regular_) n_ = n.normalized();
}

LocalSurface::Section LocalSurface::section(const Vec3& direction) const {
  const Vec3 w = (direction - direction.dot(n_) * n_).normalized();
  Eigen::Matrix<double, 3, 2> J;
  J << u_, v_;
  const Eigen::Matrix2d g = (J.transpose() * J).inverse();
  const auto second = [&](const Vec2& a, const Vec2& b) -> Vec3 {
    return a.x() * b.x() * uu_ + (a.x() * b.y() + a.y() * b.x()) * uv_ + a.y() * b.y() * vv_;
  };
  const Vec2 a = g * (J.transpose() * w), b = -(g * (J.transpose() * second(a, a)));
  const double x = a.x(), y = a.y();
  const Vec3 third = x * x * x * uuu_ + 3 * x * x * y * uuv_ + 3 * x * y * y * uvv_ + y * y * y * vvv_;
  return {second(a, a).dot(n_), n_.dot(third + 3 * second(a, b))};
}

} // namespace lumsk::inspect
