#pragma once
#include "brep/mesh.h"

#include <memory>
#include <optional>

namespace lumsk::inspect {

/// A place on one of several meshes.
struct OnMesh {
  int mesh = -1, triangle = -1;
  Vec3 weights = Vec3::Zero(); ///< of the triangle's corners
  Vec3 point = Vec3::Zero();
  double distanceMm = 0.0;
};

/// Finds places on meshes by a tree of boxes (the kernel's bounding volumes). The meshes must outlive it. Several
/// threads may ask at once.
class MeshTree {
public:
  explicit MeshTree(std::vector<const brep::FaceMesh*> meshes);
  ~MeshTree();

  /// Where a ray leaves the body whose outside the triangles face: the first triangle beyond `leastMm` that is met from
  /// behind (Moeller & Trumbore 1997).
  std::optional<OnMesh> exitAlong(const Vec3& from, const Vec3& unit, double leastMm) const;
  /// The nearest place (Ericson 2005, 5.1.5); nothing when there is no triangle.
  std::optional<OnMesh> nearest(const Vec3& p) const;
  Vec3 normalOf(const OnMesh& on) const; ///< of the triangle, unit
  /// Parameters of a place on its face's surface.
  Vec2 parametersAt(const OnMesh& on) const;

private:
  struct Set;
  std::vector<const brep::FaceMesh*> meshes_;
  std::unique_ptr<Set> set_;
};

} // namespace lumsk::inspect
