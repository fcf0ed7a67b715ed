#include "inspect/view_lines.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "inspect/edge_sides.h"
#include "inspect/fields.h"
#include "nurbs/curves/curve_parts.h"

#include <BRepBndLib.hxx>
#include <Bnd_Box.hxx>

#include <algorithm>
#include <deque>

namespace lumsk::inspect {

namespace {

constexpr double kChord = 1e-4, kLeastChordMm = 1e-4; ///< of the size: how near meshes lie to the forms
constexpr double kClear = 5;           ///< chords: as far off the form rays start
constexpr double kShortest = 1e-3;     ///< of the size
constexpr int kLeastPlaces = 24, kMostPlaces = 400, kHalvings = 18;
constexpr int kStations = 65; ///< along a line
constexpr double kEdgeOn = 1e-6;
constexpr int kTrianglesABody = 60000;
constexpr double kMeshAngleDeg = 4;
constexpr double kAcross = 0.4;      ///< of the way between two places of a silhouette: so far aside lies the one between them
constexpr int kMostDivisions = 6;    ///< of a stretch of a silhouette between two sides of triangles

/// A curve of a form.
struct Line {
  nurbs::Path path;
  std::vector<EdgePlace> stations; ///< along it; of silhouettes with one face each
  bool edge = true;

  /// The faces beside a place, between the stations nearest to it.
  std::vector<EdgeSide> besideAt(const Vec3& p) const {
    size_t best = 0;
    for (size_t i = 1; i < stations.size(); ++i)
      if ((stations[i].at - p).squaredNorm() < (stations[best].at - p).squaredNorm()) best = i;
    if (stations.empty()) return {};
    std::vector<EdgeSide> out = stations[best].sides;
    for (const size_t next : {best - 1, best + 1}) {
      if (next >= stations.size() || stations[next].sides.size() != out.size()) continue;
      const Vec3 leg = stations[next].at - stations[best].at;
      const double t = (p - stations[best].at).dot(leg) / std::max(leg.squaredNorm(), 1e-300);
      if (t <= 0 || t > 1) continue;
      for (size_t k = 0; k < out.size(); ++k) out[k].normal = ((1 - t) * out[k].normal + t * stations[next].sides[k].normal).normalized();
      break;
    }
    return out;
  }
};

/// Edges that are open or sharp.
void addEdges(const brep::Body& b, const Tolerances& tol, std::vector<Line>& to) {
  const auto edges = brep::edges(b);
  for (size_t i = 0; i < edges.size(); ++i) {
    Line line{{}, placesAlong(b, int(i), kStations)};
    const bool sharp = std::any_of(line.stations.begin(), line.stations.end(), [&](const EdgePlace& p) { return p.sides.size() < 2 || p.turnDeg() > tol.smoothEdge.deg; });
    if (!sharp) continue;
    auto path = brep::toPath(edges[i]);
    if (!path) continue;
    line.path = std::move(*path);
    to.push_back(std::move(line));
  }
}

/// A place where a face turns out of sight.
struct Turn {
  Vec2 uv;
  Vec3 at;
  double reach = 0; ///< mm, so far aside nothing else is looked for: half of the triangle's side
};

/// Where a face turns out of sight, from face mesh to surface (Hertzmann & Zorin 2000): crossings of the triangles' sides
/// are brought to where the surface's own normal stands square to the sight, and places between them are added until
/// chords are within `nearMm`.
class Silhouette {
public:
  Silhouette(const FaceSurface& surface, const brep::FaceMesh& mesh, const Vec3& eye, double nearMm) : surface_(surface), mesh_(mesh), eye_(eye), near_(nearMm) {
    for (const Vec3& n : mesh.normals) looks_.push_back(side(n.dot(eye)));
  }

  std::vector<Line> lines() {
    std::multimap<std::pair<int, int>, size_t> at; // segments by the sides that they end on
    std::vector<std::array<std::pair<int, int>, 2>> segments;
    for (const auto& t : mesh_.triangles) {
      std::vector<std::pair<int, int>> crossed;
      for (size_t k = 0; k < 3; ++k)
        if (const int a = t[k], b = t[(k + 1) % 3]; (looks_[size_t(a)] > 0) != (looks_[size_t(b)] > 0)) crossed.emplace_back(std::minmax(a, b));
      if (crossed.size() != 2) continue;
      for (const auto& c : crossed) at.emplace(c, segments.size());
      segments.push_back({crossed[0], crossed[1]});
    }
    std::vector<char> used(segments.size(), 0);
    std::vector<Line> out;
    for (size_t s = 0; s < segments.size(); ++s) {
      if (used[s]) continue;
      used[s] = 1;
      std::vector<std::pair<int, int>> chain{segments[s][0], segments[s][1]};
      for (const bool forward : {true, false}) {
        for (bool grown = true; grown && chain.front() != chain.back();) {
          grown = false;
          const auto [from, to] = at.equal_range(chain.back());
          for (auto i = from; i != to && !grown; ++i)
            if (!used[i->second]) {
              used[i->second] = 1;
              chain.push_back(segments[i->second][segments[i->second][0] == chain.back() ? 1 : 0]);
              grown = true;
            }
        }
        if (forward) std::reverse(chain.begin(), chain.end());
      }
      addLine(chain, out);
    }
    return out;
  }

private:
  static double side(double looks) { return looks > -kEdgeOn ? 1 : -1; } // what is seen edge-on all over turns nowhere
  double looks(const Vec2& uv) const { return surface_.outward(uv).dot(eye_); }

  /// Where the surface turns between two places that look to different sides.
  Turn between(Vec2 a, Vec2 b) const {
    const double first = side(looks(a));
    if (first == side(looks(b))) return {a, surface_.at(a).point};
    for (int i = 0; i < kHalvings * 2; ++i) {
      const Vec2 m = 0.5 * (a + b);
      (side(looks(m)) == first ? a : b) = m;
    }
    return {0.5 * (a + b), surface_.at(0.5 * (a + b)).point};
  }

  void addBetween(const Turn& a, const Turn& b, int depth, std::vector<Turn>& to) const {
    const Vec2 middle = 0.5 * (a.uv + b.uv);
    const nurbs::FirstDerivatives d = surface_.first(middle);
    const Vec3 aside = d.du.cross(d.dv).cross(b.at - a.at);
    if (depth == 0 || !(aside.norm() > 0)) return;
    Eigen::Matrix<double, 3, 2> frame;
    frame << d.du, d.dv;
    const Vec2 across = frame.colPivHouseholderQr().solve(Vec3(std::min({kAcross * (b.at - a.at).norm(), a.reach, b.reach}) * aside.normalized()));
    if (side(looks(middle + across)) == side(looks(middle - across))) return;
    Turn m = between(middle + across, middle - across);
    m.reach = std::min(a.reach, b.reach);
    const Vec3 chord = b.at - a.at, off = m.at - a.at;
    if (!(chord.norm() > 0) || chord.cross(off).norm() / chord.norm() < near_) return;
    addBetween(a, m, depth - 1, to);
    to.push_back(m);
    addBetween(m, b, depth - 1, to);
  }

  void addLine(const std::vector<std::pair<int, int>>& chain, std::vector<Line>& out) const {
    std::vector<Turn> turns;
    for (const auto& [a, b] : chain) {
      Turn next = between(mesh_.places[size_t(a)], mesh_.places[size_t(b)]);
      next.reach = 0.5 * (mesh_.points[size_t(a)] - mesh_.points[size_t(b)]).norm();
      if (!turns.empty()) addBetween(turns.back(), next, kMostDivisions, turns);
      turns.push_back(next);
    }
    std::vector<nurbs::Segment> segments;
    Line line{{}, {}, false};
    for (size_t i = 0; i < turns.size(); ++i) {
      line.stations.push_back({turns[i].at, {{surface_.outward(turns[i].uv), Vec3::Zero()}}});
      if (i > 0 && (turns[i].at - turns[i - 1].at).norm() > kLeastChordMm) segments.push_back(nurbs::LineSegment{turns[i - 1].at, turns[i].at});
    }
    auto path = nurbs::Path::make(std::move(segments), {2 * kLeastChordMm});
    if (!path) return; // shorter than can be seen
    line.path = std::move(*path);
    out.push_back(std::move(line));
  }

  const FaceSurface& surface_;
  const brep::FaceMesh& mesh_;
  Vec3 eye_;
  double near_;
  std::vector<double> looks_;
};

/// What stands in the way.
class Sight {
public:
  Sight(const std::deque<MeasuredForm>& forms, const Vec3& eye, double chordMm) : eye_(eye), side_(eye.unitOrthogonal()), clear_(kClear * chordMm) {
    std::vector<const brep::FaceMesh*> all;
    for (const MeasuredForm& f : forms)
      for (const auto& m : f.meshes()) {
        all.push_back(m.get());
        if (f.body().solid()) continue;
        backs_.push_back(*m); // skins hide from both of their sides
        for (auto& t : backs_.back().triangles) std::swap(t[1], t[2]);
      }
    for (const auto& m : backs_) all.push_back(&m);
    tree_ = std::make_unique<MeshTree>(std::move(all));
  }
  bool hides(const Line& l, double t) const {
    const Vec3 on = l.path.at(t);
    const auto beside = l.besideAt(on);
    if (l.edge && beside.size() == 2 && turnsAway(beside[0], beside[1])) return true;
    Vec3 off = Vec3::Zero(); // of the faces the one that is seen
    for (const EdgeSide& b : beside)
      if (off.isZero() || b.normal.dot(eye_) > off.dot(eye_)) off = b.normal;
    const Vec3 p = on + clear_ * off;
    if (met(p)) return true;
    // Between meshes of neighbours there are slits to look through.
    return met(p + 0.5 * clear_ * side_) && met(p - 0.5 * clear_ * side_);
  }

private:
  /// Whether the form itself hides a sharp edge from the eye: where it bulges when both faces look away, where it is
  /// hollow when one does.
  bool turnsAway(const EdgeSide& a, const EdgeSide& b) const {
    const bool one = a.normal.dot(eye_) > kEdgeOn, other = b.normal.dot(eye_) > kEdgeOn;
    return EdgePlace{{}, {a, b}}.bulges() ? !one && !other : !one || !other;
  }
  bool met(const Vec3& p) const { return tree_->exitAlong(p, eye_, 0.5 * clear_).has_value(); }
  Vec3 eye_, side_;
  double clear_;
  std::vector<brep::FaceMesh> backs_;
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
    const double size = sizeOf(bodies), chord = std::max(kLeastChordMm, kChord * size);
    std::vector<Line> lines;
    std::deque<MeasuredForm> forms;
    for (const auto& b : bodies) {
      if (cx.stopped()) return fail(cancelled());
      std::vector<std::shared_ptr<const brep::FaceMesh>> meshes;
      for (brep::FaceMesh& m : brep::displayMesh(*b, {chord, kMeshAngleDeg}, kTrianglesABody)) meshes.push_back(std::make_shared<const brep::FaceMesh>(std::move(m)));
      forms.emplace_back(b, std::move(meshes));
      addEdges(*b, cx.tolerances, lines);
      for (size_t m = 0; m < forms.back().meshes().size(); ++m)
        for (Line& l : Silhouette(forms.back().surface(int(m)), *forms.back().meshes()[m], eye, chord).lines()) lines.push_back(std::move(l));
    }
    const Sight sight(forms, eye, chord);
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
