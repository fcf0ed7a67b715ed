#include "inspect/clearance.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/guard.h"
#include "brep/mesh.h"
#include "brep/skin.h"
#include "inspect/mesh_tree.h"
#include "nurbs/measure/closest.h"

#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr int kAlong = 40, kAcross = 12, kPolished = 5, kPolishSteps = 40;
constexpr double kMeshChordMm = 0.05, kMeshChordShare = 5e-4; ///< the latter of what is measured, where that is small
constexpr double kMeshTurnDeg = 10;
constexpr int kMeshTriangles = 200000;
constexpr double kEnoughMm = 1e-6;
constexpr double kApartChords = 3, kApartShare = 0.2; ///< of the chord; of the distance: seeds so near to a polished one are none

struct Seed {
  Vec3 at, on;
  double mm = 0; ///< negative within a solid
  int skin = 0;
};

/// The nearest place of a body: within its faces or on its edges.
class NearestOnBody {
public:
  NearestOnBody(const brep::BodyFaces& faces, const brep::Body& body, double chordMm) : faces_(faces), chordMm_(chordMm) {
    for (const TopoDS_Edge& e : brep::edges(body))
      if (auto p = brep::toPath(e)) edges_.push_back(std::move(*p));
  }
  /// `near`: a place of the body that is nearly so.
  Vec3 to(const Vec3& p, const Vec3& near) const {
    Vec3 best = near;
    double least = 1e300;
    if (const auto on = faces_.nearest(p)) best = on->point, least = on->distanceMm;
    if (least > (near - p).norm() + chordMm_) least = 1e300; // its foot may lie on an edge
    for (const nurbs::Path& e : edges_)
      if (const auto c = nurbs::closestPoint(e, p); c.distanceMm < least) best = c.point, least = c.distanceMm;
    return best;
  }

private:
  const brep::BodyFaces& faces_;
  double chordMm_;
  std::vector<nurbs::Path> edges_;
};

} // namespace

Expected<std::optional<Clearance>> clearanceOf(const std::vector<nurbs::Surface>& skins,
                                               const std::vector<brep::BodyPtr>& bodies, const Context& cx) {
  return brep::guarded("measuring a distance", [&]() -> Expected<std::optional<Clearance>> {
    std::optional<Clearance> best;
    for (size_t b = 0; b < bodies.size(); ++b) {
      const auto corners = brep::boxCorners(bodies[b]->shape);
      const double chordMm = std::min(kMeshChordMm, kMeshChordShare * (corners[7] - corners[0]).norm());
      const auto meshes = brep::displayMesh(*bodies[b], {chordMm, kMeshTurnDeg}, kMeshTriangles);
      std::vector<const brep::FaceMesh*> list;
      for (const auto& m : meshes) list.push_back(&m);
      const MeshTree tree(list);
      std::vector<Seed> seeds;
      for (size_t k = 0; k < skins.size(); ++k)
        for (int i = 0; i <= kAlong; ++i) {
          if (cx.stopped()) return fail(cancelled());
          for (int j = 0; j <= kAcross; ++j) {
            const Vec3 p = skins[k].at(double(i) / kAlong, double(j) / kAcross);
            const auto on = tree.nearest(p);
            if (!on) continue;
            const bool within = bodies[b]->solid() && (p - on->point).dot(tree.normalOf(*on)) < 0;
            seeds.push_back({p, on->point, within ? -on->distanceMm : on->distanceMm, int(k)});
          }
        }
      if (seeds.empty()) continue;
      std::sort(seeds.begin(), seeds.end(), [](const Seed& x, const Seed& y) { return x.mm < y.mm; });
      if (seeds.front().mm < -chordMm) {
        if (!best || !best->entered) best = Clearance{0, seeds.front().at, seeds.front().on, int(b), true};
        continue;
      }
      LUMSK_TRY(faces, brep::BodyFaces::of(*bodies[b], -1, cx));
      const NearestOnBody nearest(faces, *bodies[b], chordMm);
      std::vector<Seed> polished;
      for (const Seed& s : seeds) {
        if (polished.size() == kPolished) break;
        const auto beside = [&](const Seed& o) { return (o.at - s.at).norm() < kApartChords * chordMm + kApartShare * s.mm; };
        if (std::any_of(polished.begin(), polished.end(), beside)) continue;
        Seed now = s;
        now.mm = 1e300;
        for (int step = 0; step < kPolishSteps; ++step) {
          const Vec3 on = nearest.to(now.at, now.on);
          const Vec3 at = nurbs::closestPoint(skins[size_t(s.skin)], on).point;
          const double mm = (at - on).norm();
          const bool done = mm > now.mm - kEnoughMm;
          if (mm < now.mm) now.at = at, now.on = on, now.mm = mm;
          if (done) break;
        }
        polished.push_back(now);
        if (!best || (!best->entered && now.mm < best->mm)) best = Clearance{now.mm, now.at, now.on, int(b), false};
      }
    }
    if (best && best->mm < cx.tolerances.point.mm) best->mm = 0;
    return best;
  });
}

} // namespace lumsk::inspect
