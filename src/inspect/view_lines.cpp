#include "inspect/view_lines.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/guard.h"
#include "inspect/mesh_tree.h"
#include "nurbs/curves/curve_parts.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp_Explorer.hxx>

#include <algorithm>

namespace lumsk::inspect {

namespace {

constexpr double kChord = 1e-4, kLeastChordMm = 1e-4; ///< of the size: how near meshes lie to the forms
constexpr double kClear = 5;           ///< chords: as far off the form rays start
constexpr double kShortest = 1e-3;     ///< of the size
constexpr int kLeastPlaces = 24, kMostPlaces = 400, kHalvings = 18;
constexpr int kStations = 65; ///< along a line
constexpr double kEdgeOn = 1e-6;
constexpr int kTrianglesABody = 60000;

/// One face beside a place of a line.
struct Beside {
  Vec3 normal = Vec3::Zero(), into = Vec3::Zero(); ///< unit: outwards, and along the face away from its border
};
/// A place of a line with the faces that meet there: two at edges, one at open edges and silhouettes.
struct Station {
  Vec3 at;
  std::vector<Beside> beside;
};

/// A curve of a form.
struct Line {
  nurbs::Path path;
  std::vector<Station> stations; ///< along it
  bool edge = true;

  /// The faces beside a place, between the stations nearest to it.
  std::vector<Beside> besideAt(const Vec3& p) const {
    size_t best = 0;
    for (size_t i = 1; i < stations.size(); ++i)
      if ((stations[i].at - p).squaredNorm() < (stations[best].at - p).squaredNorm()) best = i;
    if (stations.empty()) return {};
    std::vector<Beside> out = stations[best].beside;
    for (const size_t next : {best - 1, best + 1}) {
      if (next >= stations.size() || stations[next].beside.size() != out.size()) continue;
      const Vec3 leg = stations[next].at - stations[best].at;
      const double t = (p - stations[best].at).dot(leg) / std::max(leg.squaredNorm(), 1e-300);
      if (t <= 0 || t > 1) continue;
      for (size_t k = 0; k < out.size(); ++k) out[k].normal = ((1 - t) * out[k].normal + t * stations[next].beside[k].normal).normalized();
      break;
    }
    return out;
  }
};

/// What one of an edge's faces is like along it.
std::vector<Station> alongEdge(const TopoDS_Edge& e, const TopoDS_Face& f) {
  std::vector<Station> out;
  double a, b;
  const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, f, a, b);
  if (c.IsNull()) return out;
  const BRepAdaptor_Surface s(f, false);
  const double flip = f.Orientation() == TopAbs_REVERSED ? -1 : 1;
  double forward = 1; // the face lies to the left of its border
  for (TopExp_Explorer x(f, TopAbs_EDGE); x.More(); x.Next())
    if (x.Current().IsSame(e)) forward = x.Current().Orientation() == TopAbs_REVERSED ? -1 : 1;
  for (int i = 0; i < kStations; ++i) {
    gp_Pnt2d uv;
    gp_Vec2d along;
    c->D1(a + (b - a) * i / (kStations - 1), uv, along);
    gp_Pnt p;
    gp_Vec du, dv;
    s.D1(uv.X(), uv.Y(), p, du, dv);
    const Vec3 n = brep::toVec(du).cross(brep::toVec(dv)), t = along.X() * brep::toVec(du) + along.Y() * brep::toVec(dv);
    Beside side;
    if (n.norm() > 0) side.normal = flip * n.normalized();
    if (t.norm() > 0) side.into = side.normal.cross(forward * t.normalized());
    out.push_back({brep::toVec(p), {side}});
  }
  return out;
}

/// Edges that are open or sharp.
void addEdges(const brep::Body& b, const Tolerances& tol, std::vector<Line>& to) {
  const auto edges = brep::edges(b);
  const auto faces = brep::faces(b);
  const double smooth = std::cos(tol.smoothEdge.rad());
  for (size_t i = 0; i < edges.size(); ++i) {
    if (BRep_Tool::Degenerated(edges[i])) continue;
    const auto beside = brep::facesAt(b, int(i));
    if (beside.empty() || (beside.size() == 1 && BRep_Tool::IsClosed(edges[i], faces[size_t(beside[0])]))) continue; // a seam
    Line line{{}, alongEdge(edges[i], faces[size_t(beside[0])])};
    bool sharp = beside.size() != 2;
    if (!sharp) {
      const auto other = alongEdge(edges[i], faces[size_t(beside[1])]);
      for (size_t k = 0; k < std::min(line.stations.size(), other.size()); ++k) {
        sharp = sharp || line.stations[k].beside[0].normal.dot(other[k].beside[0].normal) < smooth;
        line.stations[k].beside.push_back(other[k].beside[0]);
      }
    }
    if (!sharp) continue;
    auto path = brep::toPath(edges[i]);
    if (!path) continue;
    line.path = std::move(*path);
    to.push_back(std::move(line));
  }
}

Expected<void> addSilhouettes(const brep::Body& b, const Vec3& eye, const Context& cx, std::vector<Line>& to) {
  LUMSK_TRY(faces, brep::BodyFaces::of(b, -1, cx));
  LUMSK_TRY(found, faces.silhouette(eye, cx));
  for (nurbs::Path& path : found.curves) {
    Line line{std::move(path), {}, false};
    for (int i = 0; i < kStations; ++i) {
      const Vec3 p = line.path.at(line.path.last() * i / (kStations - 1));
      if (const auto on = faces.nearest(p)) line.stations.push_back({p, {{on->normal, Vec3::Zero()}}});
    }
    to.push_back(std::move(line));
  }
  return {};
}

/// What stands in the way.
class Sight {
public:
  Sight(const std::vector<brep::BodyPtr>& bodies, const Vec3& eye, double chordMm) : eye_(eye), side_(eye.unitOrthogonal()), clear_(kClear * chordMm) {
    for (const auto& b : bodies)
      for (brep::FaceMesh& m : brep::displayMesh(*b, {chordMm, 5}, kTrianglesABody)) {
        // Skins hide from both of their sides.
        if (!b->solid()) {
          meshes_.push_back(m);
          for (auto& t : meshes_.back().triangles) std::swap(t[1], t[2]);
        }
        meshes_.push_back(std::move(m));
      }
    std::vector<const brep::FaceMesh*> all;
    for (const auto& m : meshes_) all.push_back(&m);
    tree_ = std::make_unique<MeshTree>(std::move(all));
  }
  bool hides(const Line& l, double t) const {
    const Vec3 on = l.path.at(t);
    const auto beside = l.besideAt(on);
    if (l.edge && beside.size() == 2 && turnsAway(beside[0], beside[1])) return true;
    Vec3 off = Vec3::Zero(); // of the faces the one that is seen
    for (const Beside& b : beside)
      if (off.isZero() || b.normal.dot(eye_) > off.dot(eye_)) off = b.normal;
    const Vec3 p = on + clear_ * off;
    if (met(p)) return true;
    // Between meshes of neighbours there are slits to look through.
    return met(p + 0.5 * clear_ * side_) && met(p - 0.5 * clear_ * side_);
  }

private:
  /// Whether the form itself hides a sharp edge from the eye: where it bulges when both faces look away, where it is
  /// hollow when one does.
  bool turnsAway(const Beside& a, const Beside& b) const {
    const bool one = a.normal.dot(eye_) > kEdgeOn, other = b.normal.dot(eye_) > kEdgeOn;
    const bool bulges = a.normal.dot(b.into) < 0;
    return bulges ? !one && !other : !one || !other;
  }
  bool met(const Vec3& p) const { return tree_->exitAlong(p, eye_, 0.5 * clear_).has_value(); }
  Vec3 eye_, side_;
  double clear_;
  std::vector<brep::FaceMesh> meshes_;
  std::unique_ptr<MeshTree> tree_;
};

/// Where a line comes into sight and goes out of it: parameters, and whether it is hidden from there on.
std::vector<std::pair<double, bool>> changesAlong(const Line& l, const Sight& sight, double size) {
  const Points rough = nurbs::polyline(l.path, 8);
  double length = 0;
  for (Eigen::Index i = 1; i < rough.rows(); ++i) length += (rough.row(i) - rough.row(i - 1)).norm();
  const int n = std::clamp(int(200 * length / size), kLeastPlaces, kMostPlaces);
  const auto at = [&](int i) { return l.path.last() * (i + 0.5) / n; };
  std::vector<std::pair<double, bool>> out{{0.0, sight.hides(l, at(0))}};
  for (int i = 1; i < n; ++i) {
    const bool now = sight.hides(l, at(i));
    if (now == out.back().second) continue;
    double before = at(i - 1), after = at(i);
    for (int k = 0; k < kHalvings; ++k) {
      const double middle = 0.5 * (before + after);
      (sight.hides(l, middle) == now ? after : before) = middle;
    }
    out.push_back({after, now});
  }
  // What is too short to be seen goes on as what is before it.
  const auto shorter = [&](double from, double to) { return (l.path.at(from) - l.path.at(to)).norm() < kShortest * size; };
  std::vector<std::pair<double, bool>> kept;
  for (size_t i = 0; i < out.size(); ++i) {
    const double end = i + 1 < out.size() ? out[i + 1].first : l.path.last();
    if (!kept.empty() && (kept.back().second == out[i].second || shorter(out[i].first, end))) continue;
    kept.push_back(out[i]);
  }
  if (kept.size() > 1 && shorter(0, kept[1].first)) kept.erase(kept.begin()), kept[0].first = 0;
  return kept;
}

double sizeOf(const std::vector<brep::BodyPtr>& bodies) {
  Bnd_Box box;
  for (const auto& b : bodies) BRepBndLib::Add(b->shape, box, false);
  return box.IsVoid() ? 0 : std::sqrt(box.SquareExtent());
}

} // namespace

Expected<std::vector<ViewLine>> viewLines(const std::vector<brep::BodyPtr>& bodies, const Vec3& towardsEye, const Context& cx) {
  return brep::guarded("drawing a view", [&]() -> Expected<std::vector<ViewLine>> {
    const Vec3 eye = towardsEye.normalized();
    const double size = sizeOf(bodies);
    std::vector<Line> lines;
    for (const auto& b : bodies) {
      addEdges(*b, cx.tolerances, lines);
      LUMSK_CHECK(addSilhouettes(*b, eye, cx, lines));
    }
    const Sight sight(bodies, eye, std::max(kLeastChordMm, kChord * size));
    std::vector<ViewLine> out;
    for (size_t i = 0; i < lines.size(); ++i) {
      if (cx.stopped()) return fail(cancelled());
      cx.report(double(i) / double(lines.size()), "drawing a view");
      const auto changes = changesAlong(lines[i], sight, size);
      for (size_t k = 0; k < changes.size(); ++k) {
        const double end = k + 1 < changes.size() ? changes[k + 1].first : lines[i].path.last();
        if (changes.size() == 1) {
          out.push_back({lines[i].path, changes[k].second});
        } else if (auto part = nurbs::pathPortion(lines[i].path, changes[k].first, end, cx.tolerances.point)) {
          out.push_back({std::move(*part), changes[k].second});
        }
      }
    }
    return out;
  });
}

} // namespace lumsk::inspect
