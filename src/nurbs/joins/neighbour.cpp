#include "nurbs/joins/neighbour.h"

#include "nurbs/joins/side_conditions.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kOnSkinTolerances = 10; ///< point tolerances within which a section lies on its neighbour

} // namespace

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

SkinJoin joinWith(const NeighbourPlace& beside, int order, const SurfaceDerivatives& d, const Vec3& along,
                  double flat) {
  SkinJoin out;
  out.at = d(0, 0);
  const Vec3 n = d(1, 0).cross(d(0, 1)).normalized();
  const Vec3 m = beside.normal.dot(n) < 0 ? Vec3(-beside.normal) : beside.normal;
  const Vec3 across = n.cross(along).normalized(), there = (across - across.dot(m) * m).normalized();
  const NormalSection a = normalSection(d, n, across), b = normalSection(beside.d, m, there);
  out.angleDeg = degFromRad(angleBetweenRad(n, m));
  const auto apart = [](double x, double y, double least) {
    return std::abs(x - y) / std::max({std::abs(x), std::abs(y), least});
  };
  if (order > 1) out.curvature = apart(a.curvature, b.curvature, flat);
  if (order > 2) out.rate = apart(a.rate, b.rate, flat * flat);
  return out;
}

SkinJoin joinWith(const Neighbour& neighbour, int order, const SurfaceDerivatives& d, const Vec3& along, double flat) {
  if (const auto beside = neighbour(d(0, 0))) return joinWith(*beside, order, d, along, flat);
  SkinJoin none;
  none.at = d(0, 0);
  none.angleDeg = 90;
  return none;
}

SkinJoin joinWithPlane(const Vec3& normal, int order, const SurfaceDerivatives& d, const Vec3& along, double flat) {
  SkinJoin out;
  out.at = d(0, 0);
  const Vec3 n = d(1, 0).cross(d(0, 1)).normalized();
  out.angleDeg = std::abs(90 - degFromRad(angleBetweenRad(n, normal)));
  if (order < 3) return out;
  const double kink = std::abs(normalSection(d, n, n.cross(along).normalized()).rate) / (100 * flat * flat);
  out.rate = kink / kFlatKink * SkinJoin::kRateAllowed;
  return out;
}

Expected<NeighbourPlace> placeOn(const Neighbour& neighbour, const Vec3& at, LengthTolerance point,
                                 const std::string& who, const std::string& remedy) {
  const auto beside = neighbour ? neighbour(at) : std::nullopt;
  const double near = kOnSkinTolerances * point.mm;
  if (beside && beside->distanceMm <= near) return *beside;
  Problem p = problem("LM-L013", who + " does not lie on the skin that it is to flow into")
                  .at(at)
                  .want(millimetres(near))
                  .tryThis(remedy);
  if (beside) p.measure(millimetres(beside->distanceMm));
  return fail(std::move(p));
}

} // namespace lumsk::nurbs
