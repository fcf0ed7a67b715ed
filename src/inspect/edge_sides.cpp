#include "inspect/edge_sides.h"

#include "brep/convert.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRep_Tool.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp_Explorer.hxx>

namespace lumsk::inspect {

namespace {

/// What one of an edge's faces is like along it.
std::vector<EdgePlace> alongFace(const TopoDS_Edge& e, const TopoDS_Face& f, int places) {
  std::vector<EdgePlace> out;
  double a, b;
  const Handle(Geom2d_Curve) c = BRep_Tool::CurveOnSurface(e, f, a, b);
  if (c.IsNull()) return out;
  const BRepAdaptor_Surface s(f, false);
  const double flip = f.Orientation() == TopAbs_REVERSED ? -1 : 1;
  double forward = 1; // the face lies to the left of its border
  for (TopExp_Explorer x(f, TopAbs_EDGE); x.More(); x.Next())
    if (x.Current().IsSame(e)) forward = x.Current().Orientation() == TopAbs_REVERSED ? -1 : 1;
  for (int i = 0; i < places; ++i) {
    gp_Pnt2d uv;
    gp_Vec2d along;
    c->D1(a + (b - a) * i / (places - 1), uv, along);
    gp_Pnt p;
    gp_Vec du, dv;
    s.D1(uv.X(), uv.Y(), p, du, dv);
    const Vec3 n = brep::toVec(du).cross(brep::toVec(dv)), t = along.X() * brep::toVec(du) + along.Y() * brep::toVec(dv);
    EdgeSide side;
    if (n.norm() > 0) side.normal = flip * n.normalized();
    if (t.norm() > 0) side.into = side.normal.cross(forward * t.normalized());
    out.push_back({brep::toVec(p), {side}});
  }
  return out;
}

} // namespace

double EdgePlace::turnDeg() const { return sides.size() < 2 ? 0 : degFromRad(angleBetweenRad(sides[0].normal, sides[1].normal)); }

std::vector<EdgePlace> placesAlong(const brep::Body& b, int edge, int places) {
  const TopoDS_Edge e = brep::edges(b)[size_t(edge)];
  const auto faces = brep::faces(b);
  const auto beside = brep::facesAt(b, edge);
  if (BRep_Tool::Degenerated(e) || beside.empty() || (beside.size() == 1 && BRep_Tool::IsClosed(e, faces[size_t(beside[0])]))) return {};
  std::vector<EdgePlace> out = alongFace(e, faces[size_t(beside[0])], places);
  if (beside.size() != 2) return out;
  const auto other = alongFace(e, faces[size_t(beside[1])], places);
  for (size_t k = 0; k < std::min(out.size(), other.size()); ++k) out[k].sides.push_back(other[k].sides[0]);
  return out;
}

double shareWhere(const std::array<double, 3>& a, const std::array<double, 3>& b) {
  struct Corner {
    double x, y, a, b;
  };
  std::vector<Corner> poly{{0, 0, a[0], b[0]}, {1, 0, a[1], b[1]}, {0, 1, a[2], b[2]}};
  for (double Corner::*which : {&Corner::a, &Corner::b}) { // Sutherland & Hodgman 1974
    std::vector<Corner> next;
    for (size_t i = 0; i < poly.size(); ++i) {
      const Corner &p = poly[i], &q = poly[(i + 1) % poly.size()];
      if (p.*which > 0) next.push_back(p);
      if ((p.*which > 0) == (q.*which > 0)) continue;
      const double t = p.*which / (p.*which - q.*which);
      next.push_back({p.x + t * (q.x - p.x), p.y + t * (q.y - p.y), p.a + t * (q.a - p.a), p.b + t * (q.b - p.b)});
    }
    poly = std::move(next);
  }
  double twice = 0;
  for (size_t i = 0; i < poly.size(); ++i) {
    const Corner &p = poly[i], &q = poly[(i + 1) % poly.size()];
    twice += p.x * q.y - p.y * q.x;
  }
  return std::abs(twice); // of the triangle of area 1/2
}

} // namespace lumsk::inspect
