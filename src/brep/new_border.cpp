#include "brep/new_border.h"

#include "brep/convert.h"
#include "brep/rings.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepLib.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <GeomAPI_ProjectPointOnCurve.hxx>
#include <ShapeFix_Face.hxx>
#include <ShapeFix_Wire.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Iterator.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kLeastVertexMm = 1e-5;
constexpr double kEndShare = 0.3; ///< of how near edges have to be crossed: ends that lie on them

double off(const nurbs::Path& path, const Vec3& p) { return nurbs::closestPoint(path, p).distanceMm; }

/// `apart`: how far what ends there may lie off it.
TopoDS_Vertex vertexAt(const Vec3& p, double apart) {
  const TopoDS_Vertex v = BRepBuilderAPI_MakeVertex(toPnt(p)).Vertex();
  BRep_Builder().UpdateVertex(v, std::max(kLeastVertexMm, 2 * apart));
  return v;
}

/// The part of an edge on one side of a vertex on it, in the edge's own sense; nothing where it has no curve or nothing is left.
TopoDS_Edge shortened(const TopoDS_Edge& e, const TopoDS_Vertex& to, bool keepStart) {
  double t0, t1;
  const Handle(Geom_Curve) c = BRep_Tool::Curve(e, t0, t1);
  if (c.IsNull()) return {};
  GeomAPI_ProjectPointOnCurve q(BRep_Tool::Pnt(to), c, t0, t1);
  // The nearest place may be an end.
  double t = BRep_Tool::Pnt(to).Distance(c->Value(t0)) < BRep_Tool::Pnt(to).Distance(c->Value(t1)) ? t0 : t1;
  if (q.NbPoints() > 0 && q.LowerDistance() <= BRep_Tool::Pnt(to).Distance(c->Value(t))) t = q.LowerDistanceParameter();
  const bool first = (e.Orientation() == TopAbs_FORWARD) == keepStart;
  const TopoDS_Edge own = TopoDS::Edge(e.Oriented(TopAbs_FORWARD));
  BRepBuilderAPI_MakeEdge make = first ? BRepBuilderAPI_MakeEdge(c, TopExp::FirstVertex(own), to, t0, t) : BRepBuilderAPI_MakeEdge(c, to, TopExp::LastVertex(own), t, t1);
  if (!make.IsDone()) return {};
  TopoDS_Edge out = make.Edge();
  BRep_Builder().UpdateEdge(out, BRep_Tool::Tolerance(e));
  return TopoDS::Edge(out.Oriented(e.Orientation()));
}

/// Edges along a path between two vertices.
std::optional<std::vector<TopoDS_Edge>> edgesBetween(const nurbs::Path& path, const TopoDS_Vertex& a, const TopoDS_Vertex& b) {
  std::vector<TopoDS_Edge> out;
  TopoDS_Vertex from = a;
  for (size_t k = 0; k < path.segments().size(); ++k) {
    const TopoDS_Vertex to = k + 1 == path.segments().size() ? b : BRepBuilderAPI_MakeVertex(toPnt(path.at(double(k + 1)))).Vertex();
    const auto piece = nurbs::Path::make({path.segments()[k]}, {1e-9});
    if (!piece) return {};
    for (const TopoDS_Edge& e : edgesAlong(*piece)) {
      double t0, t1;
      const Handle(Geom_Curve) c = BRep_Tool::Curve(e, t0, t1);
      BRepBuilderAPI_MakeEdge make(c, from, to, t0, t1);
      if (!make.IsDone()) return {};
      out.push_back(make.Edge());
    }
    from = to;
  }
  return out;
}

/// Where a path crosses an edge, nearest to one of its ends: sampled, then both nearest in turn.
std::optional<nurbs::ClosestOnPath> crossing(const nurbs::Path& path, const nurbs::Path& edge, const Vec3& nearTo, double near) {
  constexpr int kPlaces = 48, kTurns = 60;
  std::optional<nurbs::ClosestOnPath> best;
  double nearest = 1e300;
  double before = 1e300, here = off(path, edge.at(0));
  for (int i = 0; i <= kPlaces; ++i) {
    const double after = i < kPlaces ? off(path, edge.at(edge.last() * (i + 1) / kPlaces)) : 1e300;
    if (here <= before && here <= after) {
      Vec3 p = edge.at(edge.last() * i / kPlaces);
      nurbs::ClosestOnPath on;
      for (int k = 0; k < kTurns; ++k) {
        on = nurbs::closestPoint(path, p);
        const Vec3 next = nurbs::closestPoint(edge, on.point).point;
        const double moved = (next - p).norm();
        p = next;
        if (moved < 1e-9) break;
      }
      on = nurbs::closestPoint(path, p);
      if (on.distanceMm <= near && (p - nearTo).norm() < nearest) nearest = (p - nearTo).norm(), best = on;
    }
    before = here, here = after;
  }
  return best;
}

/// One border of a face, being replaced.
class Replacing {
public:
  Replacing(std::vector<TopoDS_Edge> ring, const NewBorder& b, double near) : ring_(std::move(ring)), b_(b), near_(near) {}

  /// The first edges from a place on the border go, `count` of them, the others stay.
  std::optional<TopoDS_Wire> run(size_t first, size_t count, bool with) {
    const size_t n = ring_.size();
    now_ = with ? b_.now : nurbs::reversed(b_.now);
    if (count == n && !partial_[0] && !partial_[1]) return whole();
    if (count == n && !(partial_[0] && partial_[1])) return {};
    std::vector<TopoDS_Edge> stay;
    for (size_t i = 0; i < n - count; ++i) stay.push_back(ring_[(first + count + i) % n]);
    std::array<double, 2> at{0, now_.last()};
    std::array<TopoDS_Vertex, 2> ends;
    for (const size_t e : {0, 1}) {
      const bool fades = b_.fades[with ? e : 1 - e];
      if (fades && partial_[e]) {
        const Vec3 p = e ? now_.end() : now_.start();
        const auto on = toPath(*partial_[e]);
        ends[e] = vertexAt(p, on ? off(*on, p) : near_);
        const TopoDS_Edge rest = shortened(*partial_[e], ends[e], e == 0);
        if (rest.IsNull()) return {};
        stay.insert(e == 0 ? stay.end() : stay.begin(), rest);
        continue;
      }
      TopoDS_Edge& beside = e == 0 ? stay.back() : stay.front();
      const TopoDS_Vertex corner = e == 0 ? TopExp::LastVertex(beside, true) : TopExp::FirstVertex(beside, true);
      if (fades) {
        const Vec3 p = e ? now_.end() : now_.start();
        const double apart = (toVec(BRep_Tool::Pnt(corner)) - p).norm();
        if (apart > near_) return {};
        ends[e] = vertexAt(p, apart);
        const TopoDS_Edge same = shortened(beside, ends[e], e == 0);
        if (same.IsNull()) return {};
        beside = same;
        continue;
      }
      const auto edge = toPath(beside);
      if (!edge) return {};
      // Arcs end on edges that they leave tangentially.
      const Vec3 tip = e ? now_.end() : now_.start();
      std::optional<nurbs::ClosestOnPath> cross;
      if (const double there = off(*edge, tip); there <= kEndShare * near_) cross = nurbs::ClosestOnPath{at[e], tip, there};
      else cross = crossing(now_, *edge, toVec(BRep_Tool::Pnt(corner)), near_);
      if (!cross) return {};
      at[e] = cross->t;
      ends[e] = vertexAt(cross->point, cross->distanceMm + off(*edge, cross->point));
      const TopoDS_Edge rest = shortened(beside, ends[e], e == 0);
      if (rest.IsNull()) return {};
      beside = rest;
    }
    if (!(at[1] > at[0])) return {};
    const auto part = nurbs::pathPortion(now_, at[0], at[1], {1e-6});
    if (!part) return {};
    const auto between = edgesBetween(*part, ends[0], ends[1]);
    if (!between) return {};
    stay.insert(stay.end(), between->begin(), between->end());
    return wireOf(stay);
  }

  /// Edges of which only a part goes, before and after those that go wholly.
  std::array<std::optional<TopoDS_Edge>, 2> partial_;

private:
  std::optional<TopoDS_Wire> whole() const {
    if (!now_.closed()) return {};
    const TopoDS_Vertex v = vertexAt(now_.start(), 0);
    const auto edges = edgesBetween(now_, v, v);
    return edges ? wireOf(*edges) : std::nullopt;
  }

  static std::optional<TopoDS_Wire> wireOf(const std::vector<TopoDS_Edge>& edges) {
    BRepBuilderAPI_MakeWire make;
    for (const TopoDS_Edge& e : edges) {
      make.Add(e);
      if (make.Error() != BRepBuilderAPI_WireDone && make.Error() != BRepBuilderAPI_EmptyWire) return {};
    }
    return make.Wire();
  }

  std::vector<TopoDS_Edge> ring_;
  const NewBorder& b_;
  nurbs::Path now_;
  double near_;
};

/// How much of an edge lies along a path: places 0, 1, ... of kPlaces.
constexpr int kPlaces = 16, kLeastPlaces = 3; // one is a corner, where a neighbour begins
std::vector<char> placesAlong(const TopoDS_Edge& e, const nurbs::Path& gone, double near) {
  std::vector<char> out;
  const auto path = toPath(e);
  for (int i = 0; path && i <= kPlaces; ++i) out.push_back(off(gone, path->at(path->last() * i / kPlaces)) <= near);
  return out;
}

using Border = std::vector<TopoDS_Edge>;

/// The face with borders that a function makes of its own; nothing where none is changed or the face is none then.
std::optional<TopoDS_Face> rebuilt(const TopoDS_Face& face, const std::function<std::optional<std::optional<TopoDS_Wire>>(const Border&)>& change, double near) {
  const TopoDS_Face forward = TopoDS::Face(face.Oriented(TopAbs_FORWARD));
  BRep_Builder builder;
  TopoDS_Face made = TopoDS::Face(forward.EmptyCopied());
  bool done = false;
  for (TopoDS_Iterator w(forward); w.More(); w.Next()) {
    const TopoDS_Wire wire = TopoDS::Wire(w.Value());
    Border ring;
    for (BRepTools_WireExplorer e(wire, forward); e.More(); e.Next()) ring.push_back(e.Current());
    const auto changed = done ? std::nullopt : change(ring);
    if (changed && !*changed) return {};
    builder.Add(made, changed ? **changed : wire);
    done = done || changed;
  }
  if (!done) return {};
  ShapeFix_Face fix(made);
  fix.FixWireTool()->FixAddPCurveMode() = 1;
  fix.Perform();
  TopoDS_Face out = fix.Face();
  if (out.IsNull()) return {};
  BRepLib::SameParameter(out, near, true);
  if (!BRepCheck_Analyzer(out).IsValid()) return {};
  return TopoDS::Face(out.Oriented(face.Orientation()));
}

} // namespace

std::optional<TopoDS_Face> withBorder(const TopoDS_Face& face, const NewBorder& border, double near) {
  return rebuilt(face, [&](const Border& ring) -> std::optional<std::optional<TopoDS_Wire>> {
    const size_t n = ring.size();
    std::vector<int> how(n); // 0: stays, 1: a part goes, 2: goes
    for (size_t i = 0; i < n; ++i) {
      if (BRep_Tool::Degenerated(ring[i])) { // a pole: a place
        how[i] = off(border.gone, toVec(BRep_Tool::Pnt(TopExp::FirstVertex(ring[i])))) <= near ? 2 : 0;
        continue;
      }
      const auto along = placesAlong(ring[i], border.gone, near);
      const auto count = std::count(along.begin(), along.end(), char(1));
      how[i] = count < kLeastPlaces ? 0 : size_t(count) == along.size() ? 2 : 1;
    }
    if (std::all_of(how.begin(), how.end(), [](int h) { return h == 0; })) return std::nullopt;
    size_t first = 0;
    while (first < n && !(how[first] > 0 && how[(first + n - 1) % n] == 0)) ++first;
    if (first == n) first = 0; // all of it, or the stretch begins and ends within one edge
    size_t count = 0;
    while (count < n && how[(first + count) % n] > 0) ++count;
    Replacing replacing(ring, border, near);
    const auto goesWith = [&]() {
      // By the directions in the middle of one of them.
      size_t k = (first + count / 2) % n;
      while (BRep_Tool::Degenerated(ring[k])) k = (k + 1) % n;
      const auto path = toPath(ring[k]);
      const auto along = placesAlong(ring[k], border.gone, near);
      std::vector<double> on;
      for (size_t i = 0; i < along.size(); ++i)
        if (along[i]) on.push_back(path->last() * double(i) / kPlaces);
      const double t = on[on.size() / 2];
      const bool same = nurbs::unitTangent(*path, t).dot(nurbs::unitTangent(border.gone, nurbs::closestPoint(border.gone, path->at(t)).t)) > 0;
      return same == (ring[k].Orientation() == TopAbs_FORWARD);
    };
    const bool with = goesWith();
    for (size_t i = 0; i < count; ++i) {
      const size_t k = (first + i) % n;
      if (how[k] != 1) continue;
      const auto along = placesAlong(ring[k], border.gone, near);
      const bool forward = ring[k].Orientation() == TopAbs_FORWARD;
      if (!(forward ? along.front() : along.back())) replacing.partial_[0] = ring[k];
      if (!(forward ? along.back() : along.front())) replacing.partial_[1] = ring[k];
    }
    return replacing.run(first, count, with);
  }, near);
}

bool runsBeside(const TopoDS_Face& face, const nurbs::Path& path, double near) {
  for (TopExp_Explorer e(face, TopAbs_EDGE); e.More(); e.Next()) {
    const auto along = placesAlong(TopoDS::Edge(e.Current()), path, near);
    if (std::count(along.begin(), along.end(), char(1)) >= kLeastPlaces) return true;
  }
  return false;
}

std::optional<TopoDS_Face> withoutCorner(const TopoDS_Face& face, const Vec3& corner, const nurbs::Path& along, double near) {
  return rebuilt(face, [&](const Border& ring) -> std::optional<std::optional<TopoDS_Wire>> {
    const size_t n = ring.size();
    size_t at = n;
    for (size_t i = 0; i < n && n > 1; ++i)
      if ((toVec(BRep_Tool::Pnt(TopExp::LastVertex(ring[i], true))) - corner).norm() <= near) at = i;
    if (at == n) return std::nullopt;
    const auto before = toPath(ring[at]), after = toPath(ring[(at + 1) % n]);
    if (!before || !after) return std::optional<TopoDS_Wire>();
    const bool with = off(*before, along.start()) + off(*after, along.end()) <= off(*before, along.end()) + off(*after, along.start());
    const Vec3 &from = with ? along.start() : along.end(), to = with ? along.end() : along.start();
    if (off(*before, from) > near || off(*after, to) > near) return std::optional<TopoDS_Wire>();
    return Replacing(ring, {{}, along, {}}, near).run((at + 1) % n, 0, with);
  }, near);
}

} // namespace lumsk::brep
