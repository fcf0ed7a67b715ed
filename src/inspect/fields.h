#pragma once
#include "base/context.h"
#include "inspect/face_surface.h"
#include "inspect/mesh_tree.h"

namespace lumsk::inspect {

/// A value at every point of a face's mesh, for lenses that colour the form. `b` is 1 where `a` is known (curvature:
/// the second principal curvature).
struct FieldValue {
  float a = 0.0f, b = 0.0f;
};
using FieldValues = std::vector<FieldValue>;

/// A body with the meshes it is shown by, its surfaces and a tree over the meshes: what fields are measured on. For use
/// by one thread.
class MeasuredForm {
public:
  MeasuredForm(brep::BodyPtr body, std::vector<std::shared_ptr<const brep::FaceMesh>> meshes);

  const brep::Body& body() const { return *body_; }
  const std::vector<std::shared_ptr<const brep::FaceMesh>>& meshes() const { return meshes_; }
  const FaceSurface& surface(int mesh) const { return surfaces_[size_t(mesh)]; }
  const MeshTree& tree() const { return tree_; }

private:
  brep::BodyPtr body_;
  std::vector<std::shared_ptr<const brep::FaceMesh>> meshes_;
  std::vector<FaceSurface> surfaces_;
  MeshTree tree_;
};

/// Principal curvatures (a the largest, b the smallest; see `PlaceOnFace`) at the points of a face's mesh, 1/mm, from
/// the surface itself.
FieldValues curvatureField(const MeasuredForm& form, int mesh);

/// Wall thickness of a solid at a place of its outside: along the inward normal to where the ray leaves the material,
/// mm. With `exact` the far end is found on the surface itself, else on its mesh. Nothing where the ray does not leave,
/// or leaves at a slant of more than 60 degrees: beside an edge there is no wall to speak of.
std::optional<double> wallAt(const MeasuredForm& form, const Vec3& at, const Vec3& outward, bool exact);
/// The same at all points of a face's mesh.
FieldValues wallField(const MeasuredForm& form, int mesh, bool exact, const Context& cx);

/// What a deviation is measured to: a form, the mesh of a foreign one, or points.
struct DeviationTarget {
  const MeasuredForm* form = nullptr;
  const MeshTree* mesh = nullptr;
};
/// How far a place stands out of the target: distance to the target's nearest place, mm, positive where the target lies
/// behind the outward normal.
std::optional<double> deviationAt(const DeviationTarget& to, const Vec3& at, const Vec3& outward, bool exact);
FieldValues deviationField(const MeasuredForm& form, int mesh, const DeviationTarget& to, bool exact,
                           const Context& cx);

/// How far a point lies above the form's nearest place, along its outward side, mm.
std::optional<double> heightOver(const MeasuredForm& form, const Vec3& p);

/// Whether a form cannot leave its mould at a place of its outside: another part of it hides the place from its half's pull
/// (unit), or with one half it faces against the pull.
bool heldInMould(const MeasuredForm& form, const Vec3& at, const Vec3& outward, const Vec3& pull, bool bothHalves);

/// Draft at the points of a face's mesh: a the angle to the pull (unit), degrees, negative where it faces against it;
/// b is 1 where the form cannot leave the mould: places that another part of it hides from their half's pull, and with
/// one half all that faces against the pull.
FieldValues draftField(const MeasuredForm& form, int mesh, const Vec3& pull, bool bothHalves, const Context& cx);

/// The exact place of a face that a line of sight meets, from the place where it meets the mesh.
std::optional<PlaceOnFace> placeUnder(const MeasuredForm& form, const OnMesh& on, const Vec3& eye, const Vec3& unit);

} // namespace lumsk::inspect
