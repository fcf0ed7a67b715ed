#include "inspect/fields.h"

#include <algorithm>

namespace lumsk::inspect {

namespace {

/// A ray starts on the form: what it meets nearer than this is where it started.
constexpr double kStartMm = 1e-4;
/// The surface lies this near to its mesh; farther away another place was found.
constexpr double kMeshMm = 0.5;
/// Rays of the draft start this far off the form, farther than its mesh strays from it.
constexpr double kClearMm = 0.05;
constexpr double kBesideMm = 0.1; ///< wider than slits between meshes
constexpr double kMetMm = 1e-6, kSeamMm = 2e-3; ///< rays that pass a surface as near as this meet it, or its border
constexpr double kFellThrough = 0.7; ///< nearer exits than this part say so
constexpr double kUprightDeg = 0.25; ///< walls that stand along the pull within this hide nothing
constexpr double kOpposite = 0.5;    ///< cosine: both sides of a wall look about the opposite ways

std::vector<const brep::FaceMesh*> pointers(const std::vector<std::shared_ptr<const brep::FaceMesh>>& meshes) {
  std::vector<const brep::FaceMesh*> out;
  for (const auto& m : meshes) out.push_back(m.get());
  return out;
}

std::vector<FaceSurface> surfacesOf(const brep::Body& b,
                                    const std::vector<std::shared_ptr<const brep::FaceMesh>>& meshes) {
  std::vector<FaceSurface> out;
  for (const auto& m : meshes) {
    const auto at = std::find(b.faceNames.begin(), b.faceNames.end(), m->face);
    out.emplace_back(b, int(at - b.faceNames.begin()));
  }
  return out;
}

/// Meshes of neighbouring faces leave slits along their edges: where two of four rays beside one another agree on a much
/// nearer exit, the one in their middle fell through.
std::optional<OnMesh> exitAt(const MeshTree& tree, const Vec3& at, const Vec3& inward) {
  auto own = tree.exitAlong(at, inward, kStartMm);
  const Vec3 x = kBesideMm * inward.unitOrthogonal(), y = inward.cross(x);
  std::vector<OnMesh> near;
  for (const Vec3& beside : {x, y, Vec3(-x), Vec3(-y)}) {
    auto on = tree.exitAlong(at + beside, inward, 2 * kBesideMm); // beside an edge it may start outside
    if (on && (!own || on->distanceMm < kFellThrough * own->distanceMm)) near.push_back(std::move(*on));
  }
  for (size_t i = 0; i < near.size(); ++i)
    for (size_t k = i + 1; k < near.size(); ++k)
      if (std::abs(near[i].distanceMm - near[k].distanceMm) < kBesideMm) return near[i];
  return own;
}

template <class At> FieldValues valuesAt(const brep::FaceMesh& m, const Context& cx, const At& at) {
  FieldValues out(m.points.size());
  for (size_t i = 0; i < m.points.size() && !cx.stopped(); ++i)
    if (const std::optional<double> v = at(i)) out[i] = {float(*v), 1.0f};
  return out;
}

} // namespace

MeasuredForm::MeasuredForm(brep::BodyPtr body, std::vector<std::shared_ptr<const brep::FaceMesh>> meshes)
    : body_(std::move(body)), meshes_(std::move(meshes)), surfaces_(surfacesOf(*body_, meshes_)),
      tree_(pointers(meshes_)) {}

FieldValues curvatureField(const MeasuredForm& form, int mesh) {
  const brep::FaceMesh& m = *form.meshes()[size_t(mesh)];
  FieldValues out(m.points.size());
  for (size_t i = 0; i < m.places.size(); ++i) {
    const PlaceOnFace p = form.surface(mesh).at(m.places[i]);
    out[i] = {float(p.largest), float(p.smallest)};
  }
  return out;
}

std::optional<double> wallAt(const MeasuredForm& form, const Vec3& at, const Vec3& outward, bool exact) {
  const Vec3 inward = -outward;
  const auto on = exitAt(form.tree(), at, inward);
  if (!on || form.tree().normalOf(*on).dot(inward) < kOpposite) return {};
  if (!exact) return on->distanceMm;
  const auto alongTo = [&](const OnMesh& hit, double missMm) -> std::optional<double> {
    const auto met = form.surface(hit.mesh).meet(at, inward, form.tree().parametersAt(hit), missMm);
    if (!met || std::abs(met->alongMm - on->distanceMm) >= kMeshMm || !(met->alongMm > 0)) return {};
    return met->alongMm;
  };
  if (const auto met = alongTo(*on, kMetMm)) return met;
  // Beside an edge the mesh may be met on one face where the form is met on the next one.
  const Vec3 x = kBesideMm * inward.unitOrthogonal(), y = inward.cross(x);
  for (const Vec3& beside : {x, y, Vec3(-x), Vec3(-y)})
    if (const auto hit = form.tree().exitAlong(at + beside, inward, kStartMm); hit && hit->mesh != on->mesh)
      if (const auto met = alongTo(*hit, kMetMm)) return met;
  // Or between both, which meet within their fits.
  if (const auto met = alongTo(*on, kSeamMm)) return met;
  return on->distanceMm;
}

FieldValues wallField(const MeasuredForm& form, int mesh, bool exact, const Context& cx) {
  const brep::FaceMesh& m = *form.meshes()[size_t(mesh)];
  return valuesAt(m, cx, [&](size_t i) { return wallAt(form, m.points[i], m.normals[i], exact); });
}

std::optional<double> deviationAt(const DeviationTarget& to, const Vec3& at, const Vec3& outward, bool exact) {
  const MeshTree& tree = to.form ? to.form->tree() : *to.mesh;
  const auto on = tree.nearest(at);
  if (!on) return {};
  Vec3 q = on->point;
  if (exact && to.form) {
    const FaceSurface& s = to.form->surface(on->mesh);
    const Vec3 refined = s.first(s.nearest(at, tree.parametersAt(*on))).at;
    // Beyond a trimmed border the surface goes on, the form does not.
    if ((refined - q).norm() < kMeshMm) q = refined;
  }
  const double d = (at - q).norm();
  return (at - q).dot(outward) < 0 ? -d : d;
}

FieldValues deviationField(const MeasuredForm& form, int mesh, const DeviationTarget& to, bool exact,
                           const Context& cx) {
  const brep::FaceMesh& m = *form.meshes()[size_t(mesh)];
  return valuesAt(m, cx, [&](size_t i) { return deviationAt(to, m.points[i], m.normals[i], exact); });
}

std::optional<double> heightOver(const MeasuredForm& form, const Vec3& p) {
  const auto on = form.tree().nearest(p);
  if (!on) return {};
  const FaceSurface& s = form.surface(on->mesh);
  const auto place = s.at(s.nearest(p, form.tree().parametersAt(*on)));
  const double d = (p - place.point).norm();
  return (p - place.point).dot(place.normal) < 0 ? -d : d;
}

bool heldInMould(const MeasuredForm& form, const Vec3& at, const Vec3& outward, const Vec3& pull, bool bothHalves) {
  const double s = outward.dot(pull), upright = std::sin(radFromDeg(kUprightDeg));
  if (!bothHalves && s < -upright) return true;
  if (std::abs(s) <= upright) return false;
  return form.tree().exitAlong(at + kClearMm * outward, bothHalves && s < 0 ? Vec3(-pull) : pull, kClearMm).has_value();
}

FieldValues draftField(const MeasuredForm& form, int mesh, const Vec3& pull, bool bothHalves, const Context& cx) {
  const brep::FaceMesh& m = *form.meshes()[size_t(mesh)];
  FieldValues out(m.points.size());
  for (size_t i = 0; i < m.points.size() && !cx.stopped(); ++i)
    out[i] = {float(degFromRad(std::asin(std::clamp(m.normals[i].dot(pull), -1.0, 1.0)))), heldInMould(form, m.points[i], m.normals[i], pull, bothHalves) ? 1.0f : 0.0f};
  return out;
}

std::optional<PlaceOnFace> placeUnder(const MeasuredForm& form, const OnMesh& on, const Vec3& eye, const Vec3& unit) {
  const FaceSurface& s = form.surface(on.mesh);
  const Vec2 guess = form.tree().parametersAt(on);
  const auto met = s.meet(eye, unit, guess);
  // Seen along the surface the line may miss what its mesh still meets.
  if (!met || std::abs(met->alongMm - (on.point - eye).dot(unit)) > kMeshMm) return s.at(s.nearest(on.point, guess));
  return s.at(met->uv);
}

} // namespace lumsk::inspect
