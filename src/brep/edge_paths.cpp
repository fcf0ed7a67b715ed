#include "brep/edge_paths.h"

#include "brep/curves_on.h"
#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "nurbs/measure/closest.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Geom_BSplineSurface.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Wire.hxx>
#include <gp_Pln.hxx>

#include <algorithm>
#include <optional>

namespace lumsk::brep {

namespace {

Problem unreadable() { return problem("LM-G005", "this edge cannot be read as a curve").tryThis("pick another edge"); }

Vec3 leavingEnd(const nurbs::Path& p) {
  nurbs::CurveDerivatives d;
  p.derivatives(p.last() - 1e-9, 1, d);
  return d[1].normalized();
}
Vec3 leavingStart(const nurbs::Path& p) {
  nurbs::CurveDerivatives d;
  p.derivatives(0, 1, d);
  return d[1].normalized();
}

} // namespace

bool runsAlong(const nurbs::Path& path, const nurbs::Path& edge, double nearMm) {
  for (double f : {0.17, 0.5, 0.81})
    if (nurbs::closestPoint(path, edge.at(f * edge.last())).distanceMm > nearMm) return false;
  return true;
}

Expected<nurbs::Path> pathAlong(const Ring& ring, LengthTolerance point) {
  std::vector<nurbs::Segment> segments;
  for (const TopoDS_Edge& e : ring.edges) {
    auto p = toPath(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)));
    if (!p) return fail(unreadable());
    if (e.Orientation() == TopAbs_REVERSED) p = nurbs::reversed(*p);
    segments.insert(segments.end(), p->segments().begin(), p->segments().end());
  }
  double near = point.mm;
  for (const TopoDS_Edge& e : ring.edges)
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(e), TopExp::LastVertex(e)})
      near = std::max(near, 2 * BRep_Tool::Tolerance(v));
  return nurbs::Path::make(std::move(segments), {near});
}

Expected<nurbs::Path> tangentChain(const Body& b, int edge, AngleTolerance corner, LengthTolerance point, const std::function<bool(int)>& passes) {
  return guarded("reading an edge", [&]() -> Expected<nurbs::Path> {
    const auto all = edges(b);
    std::vector<bool> used(all.size(), false);
    const auto first = toPath(all[size_t(edge)]);
    if (!first) return fail(unreadable());
    used[size_t(edge)] = true;
    std::vector<nurbs::Segment> segments = first->segments();
    nurbs::Path whole = *first;
    for (const bool forward : {true, false}) {
      TopoDS_Vertex tip = forward ? TopExp::LastVertex(all[size_t(edge)]) : TopExp::FirstVertex(all[size_t(edge)]);
      const Vec3 end = forward ? whole.end() : whole.start();
      // The vertex at that end of the curve, whichever way the edge runs.
      for (const TopoDS_Vertex& v : {TopExp::FirstVertex(all[size_t(edge)]), TopExp::LastVertex(all[size_t(edge)])})
        if ((toVec(BRep_Tool::Pnt(v)) - end).norm() < (toVec(BRep_Tool::Pnt(tip)) - end).norm()) tip = v;
      for (bool grown = true; grown && !whole.closed();) {
        grown = false;
        const Vec3 out = forward ? leavingEnd(whole) : Vec3(-leavingStart(whole));
        int best = -1;
        double least = corner.deg;
        nurbs::Path next;
        for (size_t k = 0; k < all.size(); ++k) {
          if (used[k] || BRep_Tool::Degenerated(all[k])) continue;
          const bool from = TopExp::FirstVertex(all[k]).IsSame(tip), to = TopExp::LastVertex(all[k]).IsSame(tip);
          if ((!from && !to) || (passes && !passes(int(k)))) continue;
          auto p = toPath(all[k]);
          if (!p) continue;
          const Vec3 at = toVec(BRep_Tool::Pnt(tip));
          if ((p->start() - at).norm() > (p->end() - at).norm()) p = nurbs::reversed(*p);
          const double turn = degFromRad(angleBetweenRad(out, leavingStart(*p)));
          if (turn <= least) least = turn, best = int(k), next = *p;
        }
        if (best < 0) break;
        used[size_t(best)] = grown = true;
        tip = TopExp::FirstVertex(all[size_t(best)]).IsSame(tip) ? TopExp::LastVertex(all[size_t(best)])
                                                                 : TopExp::FirstVertex(all[size_t(best)]);
        if (!forward) next = nurbs::reversed(next);
        segments.insert(forward ? segments.end() : segments.begin(), next.segments().begin(), next.segments().end());
        const double near = std::max(point.mm, 2 * BRep_Tool::Tolerance(tip));
        LUMSK_TRY(made, nurbs::Path::make(segments, {near}));
        whole = made;
      }
    }
    return whole;
  });
}

Expected<nurbs::Path> loopThrough(const Body& b, int edge, LengthTolerance point) {
  return guarded("reading an edge", [&]() -> Expected<nurbs::Path> {
    const TopoDS_Edge e = edges(b)[size_t(edge)];
    const auto has = [&](const TopoDS_Edge& k) { return k.IsSame(e); };
    for (const Ring& r : openRings(b.shape))
      if (std::any_of(r.edges.begin(), r.edges.end(), has)) return pathAlong(r, point);
    // What comes back without a corner is meant, whichever faces it borders.
    if (auto chain = tangentChain(b, edge, Tolerances().corner, point); chain && chain->closed()) return std::move(*chain);
    // Of the borders that it belongs to, the one of fewest edges that does not run along a seam.
    std::optional<nurbs::Path> found;
    size_t fewest = 0;
    for (int owner : facesAt(b, edge)) {
      const TopoDS_Face f = faces(b)[size_t(owner)];
      for (TopExp_Explorer w(f, TopAbs_WIRE); w.More(); w.Next()) {
        size_t count = 0;
        bool own = false, seam = false;
        for (TopExp_Explorer k(w.Current(), TopAbs_EDGE); k.More(); k.Next(), ++count) {
          own = own || has(TopoDS::Edge(k.Current()));
          seam = seam || BRep_Tool::IsClosed(TopoDS::Edge(k.Current()), f);
        }
        if (!own || seam || (found && count >= fewest)) continue;
        if (auto p = toPath(TopoDS::Wire(w.Current()), point)) found = std::move(p), fewest = count;
      }
    }
    // Around a face with a seam a closed edge is a border by itself.
    if (!found) found = toPath(e);
    if (!found) return fail(unreadable());
    return *found;
  });
}

namespace {

Expected<nurbs::Path> borderAlong(const TopoDS_Wire& w, LengthTolerance point) {
  const auto p = toPath(w, point);
  if (!p)
    return fail(problem("LM-G005", "the border of this face cannot be read as a curve").tryThis("pick its edges"));
  return *p;
}

} // namespace

Expected<nurbs::Path> outlineOf(const Body& b, int face, LengthTolerance point) {
  return guarded("reading an edge", [&] { return borderAlong(BRepTools::OuterWire(faces(b)[size_t(face)]), point); });
}

Expected<std::vector<nurbs::Path>> holesOf(const Body& b, int face, LengthTolerance point) {
  return guarded("reading an edge", [&]() -> Expected<std::vector<nurbs::Path>> {
    const TopoDS_Face f = faces(b)[size_t(face)];
    const TopoDS_Wire outer = BRepTools::OuterWire(f);
    std::vector<nurbs::Path> out;
    for (TopExp_Explorer w(f, TopAbs_WIRE); w.More(); w.Next()) {
      if (w.Current().IsSame(outer)) continue;
      LUMSK_TRY(path, borderAlong(TopoDS::Wire(w.Current()), point));
      out.push_back(std::move(path));
    }
    return out;
  });
}

std::optional<Frame> planeOf(const Body& b, int face, LengthTolerance point) {
  const TopoDS_Face f = faces(b)[size_t(face)];
  const bool inwards = f.Orientation() == TopAbs_REVERSED;
  const BRepAdaptor_Surface s(f);
  if (s.GetType() == GeomAbs_Plane) {
    const Vec3 n = toVec(gp_Vec(s.Plane().Axis().Direction())) * (s.Plane().Direct() ? 1.0 : -1.0);
    return Frame::fromNormal(toVec(s.Plane().Location()), inwards ? Vec3(-n) : n);
  }
  if (s.GetType() != GeomAbs_BSplineSurface) return {};
  const Handle(Geom_BSplineSurface) spline = s.BSpline();
  Points poles(spline->NbUPoles() * spline->NbVPoles(), 3);
  for (int i = 1; i <= spline->NbUPoles(); ++i)
    for (int j = 1; j <= spline->NbVPoles(); ++j) poles.row((i - 1) * spline->NbVPoles() + j - 1) = toVec(spline->Pole(i, j)).transpose();
  const nurbs::PlaneOfPoints plane = nurbs::fitPlane(poles);
  if (!plane.unique || plane.deviationMm > point.mm) return {};
  gp_Pnt at;
  gp_Vec du, dv;
  s.D1(0.5 * (s.FirstUParameter() + s.LastUParameter()), 0.5 * (s.FirstVParameter() + s.LastVParameter()), at, du, dv);
  const Vec3 n = toVec(du.Crossed(dv)) * (inwards ? -1.0 : 1.0);
  return Frame::fromNormal(toVec(at), plane.frame.normal().dot(n) < 0 ? Vec3(-plane.frame.normal()) : plane.frame.normal());
}

int facesAround(const Body& b, const Vec3& at, double nearMm) {
  int count = 0;
  for (const TopoDS_Face& f : faces(b))
    for (TopExp_Explorer v(f, TopAbs_VERTEX); v.More(); v.Next())
      if ((toVec(BRep_Tool::Pnt(TopoDS::Vertex(v.Current()))) - at).norm() <= nearMm) {
        ++count;
        break;
      }
  return count;
}

namespace {

std::optional<Frame> touchingPlane(const BodyFaces& on, const Vec3& near) {
  const auto at = on.beside(near); // also for places on its border
  if (!at) return {};
  return Frame::fromNormal(at->d(0, 0), at->normal);
}

} // namespace

EdgeTurns::EdgeTurns(const Body& b) : body_(b) {}
EdgeTurns::~EdgeTurns() = default;

const BodyFaces* EdgeTurns::on(int face) {
  const auto [known, isNew] = faces_.try_emplace(face);
  if (isNew)
    if (auto on = BodyFaces::of(body_, face, {})) known->second = std::make_unique<const BodyFaces>(std::move(*on));
  return known->second.get();
}

double EdgeTurns::at(int edge) {
  const auto beside = facesAt(body_, edge);
  const auto path = toPath(edges(body_)[size_t(edge)]);
  if (beside.size() != 2 || !path) return 0;
  const BodyFaces *first = on(beside[0]), *second = on(beside[1]);
  if (!first || !second) return 0;
  double most = 0;
  for (const double f : {0.03, 0.25, 0.5, 0.75, 0.97}) {
    const Vec3 p = path->at(f * path->last());
    const auto one = touchingPlane(*first, p), other = touchingPlane(*second, p);
    if (one && other) most = std::max(most, degFromRad(angleBetweenRad(one->normal(), other->normal())));
  }
  return most;
}

std::optional<Frame> touchingPlane(const Body& b, int face, const Vec3& near) {
  const auto on = BodyFaces::of(b, face, {});
  return on ? touchingPlane(*on, near) : std::nullopt;
}

} // namespace lumsk::brep
