#include "inspect/circle.h"

namespace lumsk::inspect {

namespace {

constexpr int kLooks = 96;
constexpr double kFlat = 1e-6; ///< three points this near to a line are on none

} // namespace

std::optional<Circle> circleOf(const nurbs::Path& path, const Tolerances& tol) {
  const auto at = [&](double f) { return path.at(f * path.last()); };
  // Through three points: the centre by its barycentric coordinates.
  const Vec3 a = at(0), b = at(1.0 / 3), c = at(2.0 / 3), u = b - a, v = c - a, n = u.cross(v);
  const double size = std::max(u.squaredNorm(), v.squaredNorm());
  if (n.norm() <= kFlat * size) return {};
  Circle out;
  out.axis = n.normalized();
  out.centre = a + (u.squaredNorm() * v.cross(n) + v.squaredNorm() * n.cross(u)) / (2 * n.squaredNorm());
  out.radiusMm = (a - out.centre).norm();
  for (int i = 0; i <= kLooks; ++i) {
    const Vec3 d = at(double(i) / kLooks) - out.centre;
    if (std::abs(d.norm() - out.radiusMm) > tol.point.mm || std::abs(d.dot(out.axis)) > tol.point.mm) return {};
  }
  return out;
}

} // namespace lumsk::inspect
