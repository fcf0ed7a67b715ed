#include "inspect/joins.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "inspect/section.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/measure/closest.h"

#include <BRepBndLib.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Geom2d_Curve.hxx>
#include <Geom_Curve.hxx>
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
  LocalSurface surface;
  Vec3 normal, across;            ///< of the face's front; unit, in the tangent plane and square to the edge
  double curvature = 0, rate = 0; ///< of the normal section across the edge, with respect to `normal`
};

/// `like`: the direction of the other side, which both sections must share.
Place look(const SideCurve& s, double f, const Vec3* like) {
  gp_Pnt2d uv;
  gp_Vec2d t;
  s.curve->D1(s.first + f * (s.last - s.first), uv, t);
  Place out{LocalSurface(s.surface, uv.X(), uv.Y())};
  const Vec3 along = out.surface.along(t.X(), t.Y());
  if (!out.surface.regular() || !(along.norm() > 0)) return out;
  const double flip = s.face.Orientation() == TopAbs_REVERSED ? -1.0 : 1.0;
  out.normal = out.surface.normal() * flip;
  out.across = out.surface.normal().cross(along.normalized());
  if (like && out.across.dot(*like) < 0) out.across = -out.across;
  const auto section = out.surface.section(out.across);
  out.curvature = section.curvature * flip;
  out.rate = section.rate * flip;
  return out;
}

/// Edges that meet an edge in a tip, going the same way from it: there the face between has no direction to speak of.
using Tips = std::vector<nurbs::Path>;
constexpr double kTipMm = 0.02;
Tips tipsOf(const TopoDS_Edge& e, const TopTools_IndexedDataMapOfShapeListOfShape& around) {
  Tips out;
  const auto leaving = [](const TopoDS_Edge& edge, const TopoDS_Vertex& v) { // away from the vertex
    double t0, t1;
    const Handle(Geom_Curve) c = BRep_Tool::Curve(edge, t0, t1);
    gp_Pnt p;
    gp_Vec d;
    if (c.IsNull()) return Vec3(Vec3::Zero());
    const bool first = c->Value(t0).Distance(BRep_Tool::Pnt(v)) < c->Value(t1).Distance(BRep_Tool::Pnt(v));
    c->D1(first ? t0 : t1, p, d);
    const Vec3 way(d.X(), d.Y(), d.Z());
    return Vec3(way.normalized() * (first ? 1 : -1));
  };
  if (TopExp::FirstVertex(e).IsSame(TopExp::LastVertex(e))) return out;
  for (const TopoDS_Vertex& v : {TopExp::FirstVertex(e), TopExp::LastVertex(e)}) {
    if (v.IsNull() || !around.Contains(v)) continue;
    const Vec3 own = leaving(e, v);
    for (const TopoDS_Shape& s : around.FindFromKey(v)) {
      const TopoDS_Edge other = TopoDS::Edge(s);
      if (other.IsSame(e) || BRep_Tool::Degenerated(other)) continue;
      if (leaving(other, v).dot(own) < std::cos(radFromDeg(5.0))) continue;
      if (auto path = brep::toPath(other)) out.push_back(std::move(*path));
    }
  }
  return out;
}

Join measure(const std::string& name, const SideCurve& a, const SideCurve& b, double floor, const Tips& tips) {
  Join j;
  j.edge = name;
  const auto relative = [](double x, double y, double least) {
    return std::abs(x - y) / std::max({std::abs(x), std::abs(y), least});
  };
  int looked = 0;
  for (int i = 1; i <= kPlaces; ++i) {
    const double f = double(i) / (kPlaces + 1);
    const Place p = look(a, f, nullptr), q = look(b, f, &p.across);
    const Vec3& at = p.surface.point();
    if (const double gap = (at - q.surface.point()).norm(); gap >= j.gapMm) j.gapMm = gap, j.gapAt = at;
    if (!p.surface.regular() || !q.surface.regular()) continue;
    if (std::any_of(tips.begin(), tips.end(), [&](const nurbs::Path& t) { return nurbs::closestPoint(t, at).distanceMm < kTipMm; })) continue;
    ++looked;
    if (const double angle = degFromRad(angleBetweenRad(p.normal, q.normal)); angle >= j.angleDeg)
      j.angleDeg = angle, j.angleAt = at;
    if (const double rel = relative(p.curvature, q.curvature, floor); rel >= j.curvatureRel)
      j.curvatureRel = rel, j.curvatureAt = at;
    if (const double rel = relative(p.rate, q.rate, floor * floor); rel >= j.rateRel) j.rateRel = rel, j.rateAt = at;
  }
  j.measured = looked > 0;
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
  if (!measured) return "?";
  if (gapMm > t.point.mm) return "-";
  if (angleDeg > t.angle.deg) return "G0";
  if (curvatureRel > t.curvature.relative) return "G1";
  // As the steps that are asked for it count it.
  return rateRel > std::max(t.curvature.relative, nurbs::SkinJoin::kRateAllowed) ? "G2" : "G3";
}

std::string Join::askedFor() const {
  switch (asked) {
  case Meets::Free: return "";
  case Meets::Perpendicular: return "square";
  default: return "G" + std::to_string(orderOf(asked));
  }
}

bool Join::reached(const Tolerances& t) const {
  const std::string has = achieved(t);
  return asked == Meets::Free || (has[0] == 'G' && has[1] - '0' >= orderOf(asked));
}

Join::Grade Join::grade(const Tolerances& t) const {
  if (!measured || gapMm > t.point.mm) return Grade::Bad;
  if (!meantSmooth) return Grade::Sharp;
  if (angleDeg > t.angle.deg) return Grade::Bad;
  return !reached(t) || achieved(t) == "G1" ? Grade::Fair : Grade::Good;
}

namespace {

/// How the faces around an edge meet there; nothing where there are no two.
Expected<std::optional<Join>> joinAt(const brep::Body& b, size_t edge, const TopoDS_Edge& e,
                                     const TopTools_ListOfShape& owners, double floor, const Tips& tips) {
  std::vector<TopoDS_Face> around;
  for (const TopoDS_Shape& f : owners) around.push_back(TopoDS::Face(f));
  std::optional<SideCurve> p, q;
  const bool seam = BRep_Tool::IsClosed(e, around[0]);
  if (seam) {
    // The face meets itself; both parameter curves are looked at.
    p = sideCurve(TopoDS::Edge(e.Oriented(TopAbs_FORWARD)), around[0]);
    q = sideCurve(TopoDS::Edge(e.Oriented(TopAbs_REVERSED)), around[0]);
  } else if (around.size() == 2) {
    p = sideCurve(e, around[0]);
    q = sideCurve(e, around[1]);
  } else {
    return std::optional<Join>();
  }
  if (!p || !q) return fail(problem("LM-K001", "an edge has no place on its faces"));
  return std::optional<Join>(measure(b.edgeNames[edge], *p, *q, floor, tips));
}

} // namespace

std::vector<Join> joins(const brep::Body& b, const Tolerances& tol) {
  std::vector<Join> out;
  const auto unmeasured = [&](const std::string& edge) {
    Join j;
    j.edge = edge;
    j.measured = false;
    out.push_back(std::move(j));
  };
  const auto done = brep::guarded("measuring joins", [&]() -> Expected<bool> {
    Bnd_Box box;
    BRepBndLib::Add(b.shape, box);
    const double floor = 1.0 / (10.0 * std::max(1e-6, std::sqrt(box.SquareExtent())));
    TopTools_IndexedDataMapOfShapeListOfShape owners;
    TopExp::MapShapesAndAncestors(b.shape, TopAbs_EDGE, TopAbs_FACE, owners);
    TopTools_IndexedDataMapOfShapeListOfShape around; // edges by vertex
    TopExp::MapShapesAndAncestors(b.shape, TopAbs_VERTEX, TopAbs_EDGE, around);
    const auto all = brep::edges(b);
    for (size_t i = 0; i < all.size(); ++i) {
      const int at = owners.FindIndex(all[i]);
      if (at == 0 || BRep_Tool::Degenerated(all[i])) continue;
      auto found = brep::guarded("measuring a join", [&] { return joinAt(b, i, all[i], owners(at), floor, tipsOf(all[i], around)); });
      if (!found) unmeasured(b.edgeNames[i]);
      if (!found || !*found) continue;
      Join j = std::move(**found);
      const auto asked = b.asked.find(j.edge);
      if (asked != b.asked.end()) j.asked = asked->second;
      j.meantSmooth = j.asked == Meets::Free ? j.angleDeg < tol.smoothEdge.deg : j.asked != Meets::G0;
      out.push_back(std::move(j));
    }
    return true;
  });
  if (!done) unmeasured("");
  return out;
}

double Join::badness(const Tolerances& t) const {
  if (!measured) return 2e9;
  const double gap = gapMm / t.point.mm, angle = angleDeg / t.angle.deg,
               curvature = curvatureRel / t.curvature.relative;
  if (gap > 1) return 1e9 + gap;
  if (!meantSmooth) return -1;
  return angle > 1 ? 1e6 + angle : 1e-3 * angle + curvature;
}

Vec3 Join::worstAt(const Tolerances& t) const {
  if (gapMm > t.point.mm) return gapAt;
  return angleDeg > t.angle.deg || !(curvatureRel > 0) ? angleAt : curvatureAt;
}

JoinSummary summarise(const std::vector<Join>& joins) {
  JoinSummary s;
  for (const Join& j : joins) {
    s.unmeasured += !j.measured;
    if (!j.measured) continue;
    s.gapMm = std::max(s.gapMm, j.gapMm);
    if (!j.meantSmooth) continue;
    ++s.smoothEdges;
    if (j.angleDeg >= s.angleDeg) s.angleDeg = j.angleDeg, s.worstAt = j.angleAt;
    s.curvatureRel = std::max(s.curvatureRel, j.curvatureRel);
  }
  return s;
}

} // namespace lumsk::inspect
