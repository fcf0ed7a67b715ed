#include "app/view/rays.h"

#include "nurbs/measure/arc_length.h"

namespace lumsk::app {

QPointF pixelOf(const scene::Camera& c, const Vec3& p) {
  const Vec3 s = c.toScreen(p);
  return {s.x(), s.y()};
}

Ray rayThrough(const scene::Camera& c, QPointF p) { return c.ray(p.x(), p.y()); }

Vec3 onPlane(const Frame& f, const Ray& ray) {
  const double along = ray.second.dot(f.normal());
  if (std::abs(along) < 1e-9) return f.origin;
  return ray.first + ray.second * ((f.origin - ray.first).dot(f.normal()) / along);
}

double alongAxis(const Vec3& at, const Vec3& dir, const Ray& ray) {
  const Vec3 n = dir.cross(ray.second);
  if (n.squaredNorm() < 1e-12) return 0.0;
  return (ray.first - at).cross(ray.second).dot(n) / n.squaredNorm();
}

double tidy(double v) { return std::round(v * 100) / 100; }

double fractionUnder(const nurbs::Path& path, const scene::Camera& c, QPointF p) {
  double best = 1e300, at = 0;
  for (int i = 0; i <= 720; ++i) {
    const double t = path.last() * i / 720.0;
    const Vec3 s = c.toScreen(path.at(t));
    const double dist = std::hypot(s.x() - p.x(), s.y() - p.y()) + 0.5 * s.z();
    if (dist < best) best = dist, at = t;
  }
  return nurbs::ArcLength(path).fractionAt(at);
}

} // namespace lumsk::app
