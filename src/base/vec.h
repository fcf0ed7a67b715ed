#pragma once
#include <Eigen/Core>
#include <Eigen/Geometry>
#include <cmath>

namespace lumsk {

using Vec2 = Eigen::Vector2d;
using Vec3 = Eigen::Vector3d;
/// n x 3 points, one a row, in mm.
using Points = Eigen::Matrix<double, Eigen::Dynamic, 3, Eigen::RowMajor>;

constexpr double kPi = 3.14159265358979323846;
constexpr double radFromDeg(double deg) { return deg * kPi / 180.0; }
constexpr double degFromRad(double rad) { return rad * 180.0 / kPi; }

/// Largest coordinate in mm that Lumsk accepts: beyond it doubles no longer resolve the point tolerance.
constexpr double kLargestCoordinate = 1e6;

inline bool usable(const Vec3& p) { return p.allFinite() && p.cwiseAbs().maxCoeff() <= kLargestCoordinate; }

/// Angle between two directions, radians in [0, pi]; accurate for tiny angles (Kahan 2006).
inline double angleBetweenRad(const Vec3& a, const Vec3& b) {
  const Vec3 u = a.normalized(), v = b.normalized();
  return 2.0 * std::atan2((u - v).norm(), (u + v).norm());
}

/// An orthonormal frame in space: a plane with its own x and y, or a place with an orientation.
struct Frame {
  Vec3 origin = Vec3::Zero();
  Vec3 x = Vec3::UnitX();
  Vec3 y = Vec3::UnitY();

  Vec3 normal() const { return x.cross(y); }
  Vec3 at(double u, double v, double w = 0.0) const { return origin + u * x + v * y + w * normal(); }
  /// Coordinates (u, v, w) of a point of space in this frame, mm.
  Vec3 local(const Vec3& p) const { return {(p - origin).dot(x), (p - origin).dot(y), (p - origin).dot(normal())}; }

  /// A frame from an origin and a normal of any length; x lies level where it can.
  static Frame fromNormal(const Vec3& origin, const Vec3& normal);
};

inline Frame Frame::fromNormal(const Vec3& o, const Vec3& n) {
  const Vec3 w = n.normalized();
  const Vec3 level = std::abs(w.z()) > 0.999999 ? Vec3::UnitX() : Vec3(Vec3::UnitZ().cross(w).normalized());
  return {o, level, w.cross(level)};
}

} // namespace lumsk
