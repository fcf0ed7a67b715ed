#include "inspect/mould.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "inspect/edge_sides.h"
#include "inspect/measure.h"
#include "nurbs/curves/chains.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"

#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr double kInner = 2.0 / 3;  ///< a corner's weight at the place of a triangle that is looked at for it
constexpr double kUprightDeg = 0.05; ///< what stands along the pull within this
constexpr double kLeastArea = 1e-6; ///< of the size squared: smaller areas are not told
constexpr double kJumpsApart = 0.05;     ///< of the size
constexpr int kPlaces = 65;         ///< along an edge
constexpr size_t kMostTold = 12;

double areaOf(const brep::FaceMesh& m, const std::array<int, 3>& t) {
  return 0.5 * (m.points[size_t(t[1])] - m.points[size_t(t[0])]).cross(m.points[size_t(t[2])] - m.points[size_t(t[0])]).norm();
}

double sizeOf(const MeasuredForm& form) {
  Eigen::AlignedBox3d box;
  for (const auto& m : form.meshes())
    for (const Vec3& p : m->points) box.extend(p);
  return box.isEmpty() ? 0 : box.diagonal().norm();
}

/// The pieces of an edge between what looks to either side.
void addParting(const brep::Body& b, int edge, const TopoDS_Edge& shape, const Vec3& pull, LengthTolerance point, std::vector<nurbs::Path>& to) {
  const double upright = std::sin(radFromDeg(kUprightDeg));
  const auto along = placesAlong(b, edge, kPlaces);
  if (along.empty() || along[0].sides.size() != 2) return;
  const auto parts = [&](const EdgePlace& p) { return (p.sides[0].normal.dot(pull) < -upright) != (p.sides[1].normal.dot(pull) < -upright); };
  // At its very ends an edge may touch other faces.
  std::vector<char> is;
  for (size_t k = 0; k < along.size(); ++k) is.push_back(parts(along[std::clamp<size_t>(k, 1, along.size() - 2)]));
  if (std::count(is.begin(), is.end(), 1) == 0) return;
  const auto path = brep::toPath(shape);
  if (!path) return;
  if (std::count(is.begin(), is.end(), 0) == 0) return to.push_back(*path);
  const auto at = [&](size_t k) { return nurbs::closestPoint(*path, along[k].at).t; };
  for (size_t k = 0; k < is.size(); ++k) {
    if (!is[k]) continue;
    size_t end = k;
    while (end + 1 < is.size() && is[end + 1]) ++end;
    if (end > k) {
      const double from = std::min(at(k), at(end)), until = std::max(at(k), at(end));
      if (auto part = nurbs::pathPortion(*path, from, until, point)) to.push_back(std::move(*part));
    }
    k = end;
  }
}

/// Pieces that meet, as one each.
std::vector<nurbs::Path> joined(std::vector<nurbs::Path> pieces, double nearMm) {
  std::vector<Vec3> nodes;
  const auto node = [&](const Vec3& p) {
    for (size_t i = 0; i < nodes.size(); ++i)
      if ((nodes[i] - p).norm() < nearMm) return int(i);
    nodes.push_back(p);
    return int(nodes.size()) - 1;
  };
  std::vector<nurbs::Path> out, open;
  std::vector<std::array<int, 2>> ends;
  for (nurbs::Path& p : pieces) {
    if (p.closed()) {
      out.push_back(std::move(p));
      continue;
    }
    ends.push_back({node(p.start()), node(p.end())});
    open.push_back(std::move(p));
  }
  const auto leaving = [&](int arc, bool first) {
    const nurbs::Path& p = open[size_t(arc)];
    nurbs::CurveDerivatives d;
    p.derivatives(first ? 0 : p.last() - 1e-9, 1, d);
    return Vec3((first ? 1 : -1) * d[1].normalized());
  };
  for (const nurbs::Chain& chain : nurbs::chainsOf(ends, leaving)) {
    std::vector<nurbs::Segment> segments;
    for (const nurbs::ChainLink& l : chain.links) {
      const nurbs::Path p = l.forward ? open[size_t(l.arc)] : nurbs::reversed(open[size_t(l.arc)]);
      segments.insert(segments.end(), p.segments().begin(), p.segments().end());
    }
    if (auto whole = nurbs::Path::make(std::move(segments), {nearMm})) out.push_back(std::move(*whole));
  }
  return out;
}

} // namespace

MouldDraft mouldDraft(const MeasuredForm& form, const MouldWay& way, const Context& cx) {
  MouldDraft out;
  const double size = sizeOf(form);
  for (size_t m = 0; m < form.meshes().size() && !cx.stopped(); ++m) {
    const brep::FaceMesh& mesh = *form.meshes()[m];
    double low = 0, under = 0, lowMost = 0, underMost = 0;
    Vec3 lowAt = Vec3::Zero(), underAt = lowAt;
    for (const auto& t : mesh.triangles) {
      if (cx.stopped()) return out;
      const double area = areaOf(mesh, t);
      std::array<double, 3> above, below;
      int held = 0;
      for (size_t k = 0; k < 3; ++k) {
        const double lean = degFromRad(std::asin(std::clamp(mesh.normals[size_t(t[k])].dot(way.pull), -1.0, 1.0)));
        above[k] = lean + way.draftDeg;
        below[k] = way.draftDeg - lean;
        // Inside of the triangle: along edges a ray may graze what is beside it.
        Vec3 at = Vec3::Zero(), normal = at;
        for (size_t j = 0; j < 3; ++j) {
          const double share = j == k ? kInner : 0.5 * (1 - kInner);
          at += share * mesh.points[size_t(t[j])], normal += share * mesh.normals[size_t(t[j])];
        }
        if (heldInMould(form, at, normal.normalized(), way.pull, way.halves)) ++held;
        else out.leastDeg = std::min(out.leastDeg, std::abs(lean));
      }
      const Vec3 middle = (mesh.points[size_t(t[0])] + mesh.points[size_t(t[1])] + mesh.points[size_t(t[2])]) / 3;
      const double isUnder = area * held / 3, isLow = held == 3 ? 0 : area * shareWhere(above, below);
      under += isUnder, low += isLow;
      if (isUnder > underMost) underMost = isUnder, underAt = middle;
      if (isLow > lowMost) lowMost = isLow, lowAt = middle;
    }
    out.lowMm2 += low, out.undercutMm2 += under;
    if (low > kLeastArea * size * size && out.lowAt.size() < kMostTold) out.lowAt.push_back(lowAt);
    if (under > kLeastArea * size * size && out.undercutAt.size() < kMostTold) out.undercutAt.push_back(underAt);
  }
  return out;
}

Expected<std::vector<nurbs::Path>> partingLines(const brep::Body& b, const Vec3& pull, const Context& cx) {
  std::vector<nurbs::Path> pieces;
  const auto edges = brep::edges(b);
  for (size_t i = 0; i < edges.size(); ++i) addParting(b, int(i), edges[i], pull, cx.tolerances.point, pieces);
  LUMSK_TRY(faces, brep::BodyFaces::of(b, -1, cx));
  LUMSK_TRY(found, faces.silhouette(pull, cx));
  for (nurbs::Path& p : found.curves) {
    // Where it runs along an edge that is there already, once is enough.
    const bool known = std::any_of(pieces.begin(), pieces.end(), [&](const nurbs::Path& have) {
      for (const double f : {0.2, 0.5, 0.8})
        if (nurbs::closestPoint(have, p.at(f * p.last())).distanceMm > 10 * cx.tolerances.point.mm) return false;
      return true;
    });
    if (!known) pieces.push_back(std::move(p));
  }
  auto out = joined(std::move(pieces), 10 * cx.tolerances.point.mm);
  std::sort(out.begin(), out.end(), [](const nurbs::Path& x, const nurbs::Path& y) { return lengthOf(x) > lengthOf(y); });
  return out;
}

std::vector<InnerEdge> innerEdges(const brep::Body& b, double fromDeg) {
  std::vector<InnerEdge> out;
  for (int e = 0; e < int(b.edgeNames.size()); ++e) {
    const auto along = placesAlong(b, e, kPlaces);
    InnerEdge worst{0, Vec3::Zero()};
    for (const EdgePlace& p : along)
      if (!p.bulges() && p.turnDeg() > worst.turnDeg) worst = {p.turnDeg(), p.at};
    if (worst.turnDeg < fromDeg) continue;
    out.push_back({worst.turnDeg, along[along.size() / 2].at});
  }
  std::sort(out.begin(), out.end(), [](const InnerEdge& x, const InnerEdge& y) { return x.turnDeg > y.turnDeg; });
  return out;
}

std::vector<WallJump> wallJumps(const MeasuredForm& form, double factor, const Context& cx) {
  std::vector<WallJump> all;
  for (size_t m = 0; m < form.meshes().size() && !cx.stopped(); ++m) {
    const brep::FaceMesh& mesh = *form.meshes()[m];
    const FieldValues wall = wallField(form, int(m), false, cx);
    for (const auto& t : mesh.triangles)
      for (size_t k = 0; k < 3; ++k) {
        const auto i = size_t(t[k]), j = size_t(t[(k + 1) % 3]);
        if (!(wall[i].b > 0) || !(wall[j].b > 0)) continue;
        const double x = double(std::min(wall[i].a, wall[j].a)), y = double(std::max(wall[i].a, wall[j].a));
        if (y > factor * x && (mesh.points[i] - mesh.points[j]).norm() < y) all.push_back({x, y, 0.5 * (mesh.points[i] + mesh.points[j])});
      }
  }
  std::sort(all.begin(), all.end(), [](const WallJump& x, const WallJump& y) { return x.toMm * y.fromMm > y.toMm * x.fromMm; });
  const double apart = kJumpsApart * sizeOf(form);
  std::vector<WallJump> out;
  for (const WallJump& j : all)
    if (out.size() < kMostTold && std::none_of(out.begin(), out.end(), [&](const WallJump& o) { return (o.at - j.at).norm() < apart; })) out.push_back(j);
  return out;
}

} // namespace lumsk::inspect
