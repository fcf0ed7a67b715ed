#include "inspect/narrow.h"

#include <algorithm>
#include <functional>

namespace lumsk::inspect {

namespace {

constexpr double kStartMm = 1e-4;
constexpr double kMeshMm = 0.5;    ///< the surface lies this near to its mesh
constexpr double kOpposite = 0.5;  ///< cosine: both sides look at each other
constexpr double kApart = 0.05;    ///< of the size: places nearer than this are one
constexpr double kOnForm = 1e-3;   ///< of the size: a place of a surface that near to the mesh is one of the form
constexpr size_t kStarts = 12, kMostPlaces = 12;
constexpr int kSteps = 200;
constexpr double kSmallestStep = 1e-6; ///< of the first step

/// The distance across from a place of the outside; nothing where there is no other side.
using Across = std::function<std::optional<double>(const Vec3& at, const Vec3& outward, bool exact)>;

struct Start {
  double mm;
  int mesh;
  Vec2 uv;
  Vec3 at;
  double step; ///< in parameters
};

/// Goes along the surface to where it is narrowest.
Narrow narrowest(const MeasuredForm& form, const Start& s, const Across& across, double sign, double size) {
  const FaceSurface& surface = form.surface(s.mesh);
  struct Place {
    double mm = 1e300;
    Vec2 uv;
    Vec3 at, outward;
  };
  const auto look = [&](const Vec2& uv) {
    const PlaceOnFace p = surface.at(uv);
    Place out{1e300, uv, p.point, p.normal};
    if (p.normal.isZero()) return out;
    const auto on = form.tree().nearest(p.point);
    if (!on || on->distanceMm > kOnForm * size || on->mesh != s.mesh) return out; // beyond the border
    if (const auto mm = across(p.point, p.normal, true)) out.mm = *mm;
    return out;
  };
  Place best = look(s.uv);
  if (best.mm > 1e299) return {s.mm, s.at, s.at};
  double step = s.step;
  for (int i = 0; i < kSteps && step > kSmallestStep * s.step; ++i) {
    Place next = best;
    for (const Vec2& d : {Vec2(1, 0), Vec2(-1, 0), Vec2(0, 1), Vec2(0, -1)})
      if (Place p = look(best.uv + step * d); p.mm < next.mm) next = p;
    if (next.mm < best.mm) best = next;
    else step *= 0.5;
  }
  return {best.mm, best.at, best.at + sign * best.mm * best.outward};
}

NarrowPlaces narrow(const MeasuredForm& form, double limitMm, const Across& across, double sign, const Context& cx) {
  NarrowPlaces out;
  std::vector<Start> starts;
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (size_t m = 0; m < form.meshes().size(); ++m) {
    const brep::FaceMesh& mesh = *form.meshes()[m];
    cx.report(double(m) / double(form.meshes().size()), "measuring walls and gaps");
    std::vector<std::optional<double>> mm(mesh.points.size());
    std::vector<double> step(mesh.points.size(), 0);
    for (size_t i = 0; i < mesh.points.size(); ++i) {
      if (cx.stopped()) return out;
      low = low.cwiseMin(mesh.points[i]), high = high.cwiseMax(mesh.points[i]);
      mm[i] = across(mesh.points[i], mesh.normals[i], false);
    }
    for (const auto& t : mesh.triangles) {
      for (size_t k = 0; k < 3 && !mesh.places.empty(); ++k) {
        const auto a = size_t(t[k]), b = size_t(t[(k + 1) % 3]);
        const double d = (mesh.places[a] - mesh.places[b]).norm();
        step[a] = std::max(step[a], d), step[b] = std::max(step[b], d);
      }
      const auto a = size_t(t[0]), b = size_t(t[1]), c = size_t(t[2]);
      if (!mm[a] || !mm[b] || !mm[c]) continue;
      // The share of the triangle below the limit, as linear in it.
      std::array<double, 3> d{*mm[a] - limitMm, *mm[b] - limitMm, *mm[c] - limitMm};
      std::sort(d.begin(), d.end());
      const double share = d[2] <= 0 ? 1 : d[0] >= 0 ? 0 : d[1] >= 0 ? d[0] * d[0] / ((d[0] - d[1]) * (d[0] - d[2])) : 1 - d[2] * d[2] / ((d[2] - d[0]) * (d[2] - d[1]));
      out.areaMm2 += share * 0.5 * (mesh.points[b] - mesh.points[a]).cross(mesh.points[c] - mesh.points[a]).norm();
    }
    for (size_t i = 0; i < mesh.points.size(); ++i)
      if (mm[i] && !mesh.places.empty()) starts.push_back({*mm[i], int(m), mesh.places[i], mesh.points[i], step[i]});
  }
  const double size = (high - low).norm(), apart = kApart * size;
  std::sort(starts.begin(), starts.end(), [](const Start& a, const Start& b) { return a.mm < b.mm; });
  std::vector<Start> chosen;
  for (const Start& s : starts) {
    if (chosen.size() == kStarts) break;
    if (std::none_of(chosen.begin(), chosen.end(), [&](const Start& c) { return (c.at - s.at).norm() < apart; })) chosen.push_back(s);
  }
  std::vector<Narrow> found;
  for (const Start& s : chosen) {
    if (cx.stopped()) return out;
    found.push_back(narrowest(form, s, across, sign, size));
  }
  std::sort(found.begin(), found.end(), [](const Narrow& a, const Narrow& b) { return a.mm < b.mm; });
  if (!found.empty()) out.least = found.front();
  for (const Narrow& n : found)
    if (n.mm < limitMm && out.below.size() < kMostPlaces &&
        std::none_of(out.below.begin(), out.below.end(), [&](const Narrow& b) { return (b.from - n.from).norm() < apart || (b.to - n.from).norm() < apart; }))
      out.below.push_back(n);
  return out;
}

} // namespace

NarrowPlaces narrowWalls(const MeasuredForm& form, double limitMm, const Context& cx) {
  return narrow(form, limitMm, [&](const Vec3& at, const Vec3& outward, bool exact) { return wallAt(form, at, outward, exact); }, -1, cx);
}

NarrowPlaces narrowGaps(const MeasuredForm& form, double limitMm, const Context& cx) {
  // Seen from outside, where a ray goes in is where it would leave the turned form.
  std::vector<brep::FaceMesh> turned;
  for (const auto& m : form.meshes()) {
    turned.push_back(*m);
    for (auto& t : turned.back().triangles) std::swap(t[1], t[2]);
  }
  std::vector<const brep::FaceMesh*> pointers;
  for (const auto& m : turned) pointers.push_back(&m);
  const MeshTree tree(pointers);
  const auto across = [&](const Vec3& at, const Vec3& outward, bool exact) -> std::optional<double> {
    const auto on = tree.exitAlong(at, outward, kStartMm);
    if (!on || tree.normalOf(*on).dot(outward) < kOpposite) return {};
    if (!exact) return on->distanceMm;
    const auto met = form.surface(on->mesh).meet(at, outward, tree.parametersAt(*on));
    return met && std::abs(met->alongMm - on->distanceMm) < kMeshMm && met->alongMm > 0 ? met->alongMm : on->distanceMm;
  };
  return narrow(form, limitMm, across, 1, cx);
}

} // namespace lumsk::inspect
