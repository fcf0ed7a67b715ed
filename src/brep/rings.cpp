#include "brep/rings.h"

#include "brep/convert.h"

#include <BRepAdaptor_Curve.hxx>
#include <BRepBuilderAPI_MakeEdge.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep {

namespace {

Vec3 endOf(const TopoDS_Edge& e, bool last) {
  const BRepAdaptor_Curve c(e);
  const bool far = last != (e.Orientation() == TopAbs_REVERSED);
  return toVec(c.Value(far ? c.LastParameter() : c.FirstParameter()));
}

} // namespace

Vec3 middleOf(const TopoDS_Edge& e) {
  double a, b;
  const Handle(Geom_Curve) c = BRep_Tool::Degenerated(e) ? Handle(Geom_Curve)() : BRep_Tool::Curve(e, a, b);
  return toVec(c.IsNull() ? BRep_Tool::Pnt(TopExp::FirstVertex(e)) : c->Value(0.5 * (a + b)));
}

std::vector<TopoDS_Edge> openEdges(const TopoDS_Shape& s) {
  TopTools_IndexedDataMapOfShapeListOfShape owners;
  TopExp::MapShapesAndAncestors(s, TopAbs_EDGE, TopAbs_FACE, owners);
  std::vector<TopoDS_Edge> out;
  for (int i = 1; i <= owners.Extent(); ++i) {
    const TopoDS_Edge e = TopoDS::Edge(owners.FindKey(i));
    if (owners(i).Extent() == 1 && !BRep_Tool::Degenerated(e) &&
        !BRep_Tool::IsClosed(e, TopoDS::Face(owners(i).First())))
      out.push_back(e);
  }
  return out;
}

std::vector<Ring> chained(const std::vector<TopoDS_Edge>& edges, double near) {
  std::vector<Ring> out;
  std::vector<bool> used(edges.size(), false);
  for (size_t i = 0; i < edges.size(); ++i) {
    if (used[i]) continue;
    used[i] = true;
    Ring r;
    r.edges.push_back(TopoDS::Edge(edges[i].Oriented(TopAbs_FORWARD)));
    const Vec3 first = endOf(r.edges[0], false);
    for (bool grown = true; grown;) {
      const Vec3 tip = endOf(r.edges.back(), true);
      r.closed = (tip - first).norm() <= near;
      grown = false;
      for (size_t k = 0; k < edges.size() && !grown && !r.closed; ++k) {
        if (used[k]) continue;
        for (TopAbs_Orientation o : {TopAbs_FORWARD, TopAbs_REVERSED}) {
          const TopoDS_Edge e = TopoDS::Edge(edges[k].Oriented(o));
          if (grown || (endOf(e, false) - tip).norm() > near) continue;
          r.edges.push_back(e);
          used[k] = grown = true;
        }
      }
    }
    out.push_back(std::move(r));
  }
  return out;
}

bool isOpen(const Body& b, int edge) {
  const TopoDS_Edge e = edges(b)[size_t(edge)];
  for (const TopoDS_Edge& x : openEdges(b.shape))
    if (x.IsSame(e)) return true;
  return false;
}

std::vector<Ring> openRings(const TopoDS_Shape& s) {
  double near = 1e-6;
  const auto open = openEdges(s);
  for (const TopoDS_Edge& e : open)
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(e), TopExp::LastVertex(e)})
      near = std::max(near, 2 * BRep_Tool::Tolerance(v));
  return chained(open, near);
}

std::vector<TopoDS_Edge> edgesAlong(const nurbs::Path& p) {
  std::vector<TopoDS_Edge> out;
  for (const auto& s : p.segments()) {
    const BoundedCurve c = toCurve(s);
    out.push_back(BRepBuilderAPI_MakeEdge(c.curve, c.first, c.last).Edge());
  }
  return out;
}

std::vector<TopoDS_Edge> copiesOf(const Ring& r) {
  std::vector<TopoDS_Edge> out;
  const size_t n = r.edges.size();
  for (size_t k = 0; k < n; ++k) {
    const TopoDS_Edge& e = r.edges[k];
    double reach = BRep_Tool::Tolerance(e);
    if (n > 1 && (k > 0 || r.closed)) reach = std::max(reach, (endOf(r.edges[(k + n - 1) % n], true) - endOf(e, false)).norm());
    if (n > 1 && (k + 1 < n || r.closed)) reach = std::max(reach, (endOf(e, true) - endOf(r.edges[(k + 1) % n], false)).norm());
    double a, b;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
    TopoDS_Edge copy = BRepBuilderAPI_MakeEdge(c, a, b).Edge();
    BRep_Builder().UpdateEdge(copy, BRep_Tool::Tolerance(e));
    for (const TopoDS_Vertex& v : {TopExp::FirstVertex(copy), TopExp::LastVertex(copy)}) BRep_Builder().UpdateVertex(v, 2 * reach + 1e-7);
    out.push_back(TopoDS::Edge(copy.Oriented(e.Orientation())));
  }
  return out;
}

Points pointsAlong(const Ring& r, int perEdge) {
  Points out(Eigen::Index(r.edges.size()) * perEdge, 3);
  Eigen::Index row = 0;
  for (const TopoDS_Edge& e : r.edges) {
    const BRepAdaptor_Curve c(e);
    const bool back = e.Orientation() == TopAbs_REVERSED;
    for (int i = 0; i < perEdge; ++i) {
      const double f = double(back ? perEdge - i : i) / perEdge;
      out.row(row++) = toVec(c.Value(c.FirstParameter() + f * (c.LastParameter() - c.FirstParameter()))).transpose();
    }
  }
  return out;
}

} // namespace lumsk::brep
