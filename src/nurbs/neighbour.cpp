#include "nurbs/neighbour.h"

#include <Eigen/LU>

namespace lumsk::nurbs {

NormalSection normalSection(const SurfaceDerivatives& d, const Vec3& normal, const Vec3& direction) {
  // S(u(x), v(x)) = P + x d + h(x) n: u and v are differentiated alongside the heights h.
  const Vec3 across = normal.cross(direction);
  Eigen::Matrix2d T;
  T << d(1, 0).dot(direction), d(0, 1).dot(direction), d(1, 0).dot(across), d(0, 1).dot(across);
  const Eigen::Matrix2d inverse = T.inverse();
  const auto solved = [&](const Vec3& rest) { return Vec2(-inverse * Vec2(rest.dot(direction), rest.dot(across))); };
  const Vec2 a = inverse * Vec2(1, 0);
  const Vec3 second = a.x() * a.x() * d(2, 0) + 2 * a.x() * a.y() * d(1, 1) + a.y() * a.y() * d(0, 2);
  const Vec2 b = solved(second);
  const Vec3 third =
      a.x() * a.x() * a.x() * d(3, 0) + 3 * a.x() * a.x() * a.y() * d(2, 1) + 3 * a.x() * a.y() * a.y() * d(1, 2) +
      a.y() * a.y() * a.y() * d(0, 3) +
      3 * (a.x() * b.x() * d(2, 0) + (a.x() * b.y() + a.y() * b.x()) * d(1, 1) + a.y() * b.y() * d(0, 2));
  return {second.dot(normal), third.dot(normal)};
}

std::array<Vec3, 3> continuing(const NormalSection& s, const Vec3& normal, const Vec3& direction, double mm) {
  return {mm * direction, mm * mm * s.curvature * normal,
          mm * mm * mm * (s.rate * normal - s.curvature * s.curvature * direction)};
}

std::array<double, 2> heightsAlong(const SurfaceDerivatives& d, const Vec3& normal, const Vec3& first,
                                   const Vec3& second) {
  // The curve is S(w(t)); w' and w'' follow from what is seen in the tangent plane.
  const Vec3 x = d(1, 0).normalized(), y = normal.cross(x);
  Eigen::Matrix2d T;
  T << d(1, 0).dot(x), d(0, 1).dot(x), d(1, 0).dot(y), d(0, 1).dot(y);
  const Eigen::Matrix2d inverse = T.inverse();
  const auto within = [&](const Vec3& v) { return Vec2(inverse * Vec2(v.dot(x), v.dot(y))); };
  const auto bent = [&](const Vec2& a, const Vec2& b) {
    return Vec3(a.x() * b.x() * d(2, 0) + (a.x() * b.y() + a.y() * b.x()) * d(1, 1) + a.y() * b.y() * d(0, 2));
  };
  const Vec2 a = within(first);
  const Vec3 bend = bent(a, a);
  const Vec2 b = within(second - bend);
  const Vec3 third = a.x() * a.x() * a.x() * d(3, 0) + 3 * a.x() * a.x() * a.y() * d(2, 1) +
                     3 * a.x() * a.y() * a.y() * d(1, 2) + a.y() * a.y() * a.y() * d(0, 3);
  return {bend.dot(normal), (3 * bent(a, b) + third).dot(normal)};
}

} // namespace lumsk::nurbs
