#include "brep/chain_faces.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/guard.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"

#include <BRep_Tool.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kAlongTolerances = 10; ///< of `point`: so far from a path an edge still runs along it
constexpr double kSideStep = 2e-3;      ///< of an edge: where it is looked on which side its face lies
constexpr double kOnFacePart = 0.3;     ///< of that step

/// 1: the face lies to the left of the path at a place of it, -1: to the right, 0: on both sides or on none.
int sideOf(const BodyFaces& face, const nurbs::Path& path, double t, double step) {
  const Vec3 at = path.at(t);
  const auto beside = face.beside(at);
  if (!beside) return 0;
  const Vec3 left = beside->normal.cross(nurbs::unitTangent(path, t)).normalized();
  const auto inside = [&](const Vec3& p) {
    const auto on = face.nearest(p);
    return on && on->distanceMm < kOnFacePart * step;
  };
  return int(inside(at + step * left)) - int(inside(at - step * left));
}

} // namespace

Expected<ChainFaces> ChainFaces::along(const BodyPtr& body, const nurbs::Path& path, int face, const Context& cx) {
  return guarded("looking beside an edge", [&]() -> Expected<ChainFaces> {
    ChainFaces out;
    out.body_ = body;
    const double near = kAlongTolerances * cx.tolerances.point.mm;
    std::map<int, std::shared_ptr<const BodyFaces>> ready;
    const auto faceOf = [&](int number) -> Expected<std::shared_ptr<const BodyFaces>> {
      if (!ready.count(number)) {
        LUMSK_TRY(made, BodyFaces::of(*body, number, cx));
        ready[number] = std::make_shared<const BodyFaces>(std::move(made));
      }
      return ready[number];
    };
    const auto all = edges(*body);
    std::array<std::vector<nurbs::Path>, 2> atEnds; // open edges that leave the path's ends
    for (int i = 0; i < int(all.size()); ++i) {
      if (BRep_Tool::Degenerated(all[size_t(i)])) continue;
      const auto edge = toPath(all[size_t(i)]);
      if (!edge) continue;
      const auto at = facesAt(*body, i);
      if (!runsAlong(path, *edge, near)) {
        if (at.size() != 1 || edge->closed() || path.closed()) continue;
        for (size_t end : {0u, 1u}) {
          const Vec3 p = end ? path.end() : path.start();
          if ((edge->start() - p).norm() <= near || (edge->end() - p).norm() <= near) atEnds[end].push_back(*edge);
        }
        continue;
      }
      int own = face;
      if (face >= 0 ? std::find(at.begin(), at.end(), face) == at.end() : at.empty()) continue;
      if (face < 0 && at.size() > 1)
        return fail(problem("LM-L016", "two faces meet at this edge")
                        .at(edge->at(0.5 * edge->last()))
                        .tryThis("pick the face that the skin is to flow into"));
      if (face < 0) own = at.front();
      LUMSK_TRY(beside, faceOf(own));
      const bool first = out.pieces_.empty();
      out.pieces_.push_back({*edge, beside});
      if (!first) continue;
      const double t = nurbs::closestPoint(path, edge->at(0.5 * edge->last())).t;
      const double length = nurbs::ArcLength(*edge).total();
      out.left_ = sideOf(*beside, path, t, std::max(kSideStep * length, 2 * near));
    }
    if (out.pieces_.empty()) {
      LUMSK_TRY(beside, faceOf(face));
      out.pieces_.push_back({{}, beside});
    }
    for (size_t end : {0u, 1u})
      if (atEnds[end].size() == 1) {
        const nurbs::Path& border = atEnds[end].front();
        const Vec3 p = end ? path.end() : path.start();
        if (const auto leaving = nurbs::endOf(border, (border.end() - p).norm() < (border.start() - p).norm()))
          out.borders_[end] = nurbs::Leaving{leaving->tangent, leaving->second, leaving->third};
      }
    return out;
  });
}

nurbs::Neighbour ChainFaces::beside(const std::vector<Vec3>& places) const {
  std::vector<std::shared_ptr<const BodyFaces>> faces;
  for (const Vec3& p : places) {
    const Along* best = nullptr;
    double least = 1e300;
    for (const Along& piece : pieces_) {
      const double off = pieces_.size() == 1 ? 0 : nurbs::closestPoint(piece.path, p).distanceMm;
      if (off < least) least = off, best = &piece;
    }
    if (std::find(faces.begin(), faces.end(), best->face) == faces.end()) faces.push_back(best->face);
  }
  return [faces, body = body_](const Vec3& p) {
    std::optional<nurbs::NeighbourPlace> best;
    for (const auto& face : faces)
      if (auto here = face->beside(p); here && (!best || here->distanceMm < best->distanceMm)) best = std::move(here);
    return best;
  };
}

} // namespace lumsk::brep
