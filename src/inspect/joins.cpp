#include "inspect/joins.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedDataMapOfShapeListOfShape.hxx>
#include <TopoDS.hxx>

#include <array>
#include <optional>

namespace lumsk::inspect {

namespace {

constexpr int kPlaces = 33;

/// One side of an edge: surface and parameter curve.
struct SideCurve {
  TopoDS_Face face;
  BRepAdaptor_Surface surface;
  Handle(Geom2d_Curve) curve;
  double first = 0, last = 1;
};

struct Place {
  Vec3 point, normal;
  double curvature = 0; ///< normal curvature across the edge, with respect to `normal`
  bool ok = false;
};

Place look(const SideCurve& s, double f) {
  const gp_Pnt2d uv = s.curve->Value(s.first + f * (s.last - s.first));
  gp_Pnt p;
  gp_Vec du, dv, duu, dvv, duv;
  s.surface.D2(uv.X(), uv.Y(), p, du, dv, duu, dvv, duv);
  Place out;
  out.point = brep::toVec(p);
  const Vec3 su = brep::toVec(du), sv = brep::toVec(dv);
  Vec3 n = su.cross(sv);
  if (!(n.norm() > 1e-12 * su.norm() * sv.norm()) || n.norm() == 0) return out;
  n.normalize();
  gp_Pnt2d q;
  gp_Vec2d t2;
  s.curve->D1(s.first + f * (s.last - s.first), q, t2);
  const Vec3 along = t2.X() * su + t2.Y() * sv;
  if (!(along.norm() > 0)) return out;
  const Vec3 across = n.cross(along.normalized());
  // across = a su + b sv
  const double E = su.squaredNorm(), F = su.dot(sv), G = sv.squaredNorm(), det = E * G - F * F;
  const double x = (across.dot(su) * G - across.dot(sv) * F) / det, y = (across.dot(sv) * E - across.dot(su) * F) / det;
  const Vec3 second = x * x * brep::toVec(duu) + 2 * x * y * brep::toVec(duv) + y * y * brep::toVec(dvv);
  const double flip = s.face.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0;
  out.normal = n * flip;
  out.curvature = second.dot(n) * flip;
  out.ok = true;
  return out;
}

Join measure(const std::string& name, const SideCurve& a, const SideCurve& b, double floor) {
  Join j;
  j.edge = name;
  for (int i = 1; i <= kPlaces; ++i) {
    const double f = double(i) / (kPlaces + 1);
    const Place p = look(a, f), q = look(b, f);
    if (const double gap = (p.point - q.point).norm(); gap >= j.gapMm) j.gapMm = gap, j.gapAt = p.point;
    if (!p.ok || !q.ok) continue;
    if (const double angle = degFromRad(angleBetweenRad(p.normal, q.normal)); angle >= j.angleDeg)
      j.angleDeg = angle, j.angleAt = p.point;
    const double rel =
        std::abs(p.curvature - q.curvature) / std::max({std::abs(p.curvature), std::abs(q.curvature), floor});
    if (rel >= j.curvatureRel) j.curvatureRel = rel, j.curvatureAt = p.point;
  }
  return j;
}

std::optional<SideCurve> sideCurve(const TopoDS_Edge& e, const TopoDS_Face& f) {
  SideCurve s;
  s.face = f;
  s.surface.Initialize(f, false);
  s.curve = BRep_Tool::CurveOnSurface(e, f, s.first, s.last);
  if (s.curve.IsNull()) return {};
  return s;
}

} // namespace

std::string Join::achieved(const Tolerances& t) const {
  if (gapMm > t.point.mm) return "-";
  if (angleDeg > t.angle.deg) return "G0";
  return curvatureRel > t.curvature.relative ? "G1" : "G2";
}

std::vector<Join> joins(const brep::Body& b, const Tolerances& tol) {
  std::vector<Join> out;
  const auto done = brep::guarded("measuring joins", [&]() -> Expected<bool> {
    Bnd_Box box;
    BRepBndLib::Add(b.shape, box);
    const double floor = 1.0 / (10.0 * std::max(1e-6, std::sqrt(box.SquareExtent())));
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    TopExp::MapShapesAndAncestors(b.shape, TopAbs_EDGE, TopAbs_FACE, owners);
    const auto all = brep::edges(b);
    for (size_t i = 0; i < all.size(); ++i) {
      const TopoDS_Edge& e = all[i];
      const int at = owners.FindIndex(e);
      if (at == 0 || BRep_Tool::Degenerated(e)) continue;
      std::vector<TopoDS_Face> around;
      for (const TopoDS_Shape& f : owners(at)) around.push_back(TopoDS::Face(f));
      std::optional<SideCurve> p, q;
      if (BRep_Tool::IsClosed(e, around[0])) {
        // A seam: the face meets itself; both parameter curves are looked at.
        p = sideCurve(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)), around[0]);
        q = sideCurve(TopoDS::Edge(e.Oriented(TopAbs_REVERSED)), around[0]);
      } else if (around.size() == 2) {
        p = sideCurve(e, around[0]);
        q = sideCurve(e, around[1]);
      }
      if (!p || !q) continue;
      Join j = measure(b.edgeNames[i], *p, *q, floor);
      const auto asked = b.asked.find(j.edge);
      j.meantSmooth = asked != b.asked.end() ? asked->second != brep::Meets::G0 && asked->second != brep::Meets::Free
                                             : j.angleDeg < tol.smoothEdge.deg;
      out.push_back(std::move(j));
    }
    return true;
  });
  if (!done) out.clear();
  return out;
}

JoinSummary summarise(const std::vector<Join>& joins) {
  JoinSummary s;
  for (const Join& j : joins) {
    s.gapMm = std::max(s.gapMm, j.gapMm);
    if (!j.meantSmooth) continue;
    ++s.smoothEdges;
    if (j.angleDeg >= s.angleDeg) s.angleDeg = j.angleDeg, s.worstAt = j.angleAt;
    s.curvatureRel = std::max(s.curvatureRel, j.curvatureRel);
  }
  return s;
}

} // namespace lumsk::inspect
