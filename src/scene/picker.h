#pragma once
#include "brep/names.h"
#include "recipe/edit_picks.h"
#include "scene/scene.h"

namespace lumsk::scene {

/// Where the eye is: world to clip space, and the size of the view in pixels.
struct Camera {
  Eigen::Matrix4d worldToClip = Eigen::Matrix4d::Identity();
  int width = 1, height = 1;
  Vec3 eye = Vec3::Zero(), direction = Vec3::UnitY(), up = Vec3::UnitZ();

  /// Pixel (x right, y down) and depth in [-1, 1] (smaller is nearer).
  Vec3 toScreen(const Vec3& p) const;
  /// Point and unit direction of the line of sight through a pixel.
  std::pair<Vec3, Vec3> ray(double x, double y) const;
  /// mm per pixel at a point.
  double pixelSize(const Vec3& p) const;
};

/// Something under the pointer: what a pick would store, and its name for people.
struct Hit : recipe::PickRef {
  std::string label;
  double depth = 0.0;
};
inline Hit hitOf(recipe::Kind kind, std::string step, std::string part, std::string label, const Vec3& at,
                 double depth = 0) {
  return {{std::move(step), std::move(part), kind, {}, at}, std::move(label), depth};
}

/// All that lies under a pixel and is of a wanted kind, best first: points, then curves and edges in front of faces,
/// then faces or bodies from near to far, then planes.
std::vector<Hit> pickAt(const Scene& d, const Camera& camera, double x, double y, recipe::Kind wanted);

/// Distance along a ray to the nearest triangle, or a negative number (Moeller & Trumbore 1997).
double hitMesh(const brep::FaceMesh& m, const Vec3& origin, const Vec3& direction);

} // namespace lumsk::scene
