#include "brep/convert.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_MakeWire.hxx>
#include <BRepTools_WireExplorer.hxx>
#include <BRep_Tool.hxx>
#include <GeomConvert.hxx>
#include <GeomConvert_ApproxCurve.hxx>
#include <Geom_BSplineCurve.hxx>
#include <Geom_Circle.hxx>
#include <Geom_Ellipse.hxx>
#include <Geom_Line.hxx>
#include <Geom_TrimmedCurve.hxx>
#include <TColStd_Array1OfInteger.hxx>
#include <TColStd_Array1OfReal.hxx>
#include <TColgp_Array1OfPnt.hxx>
#include <TColgp_Array2OfPnt.hxx>
#include <TopoDS_Edge.hxx>
#include <gp_Elips.hxx>

namespace lumsk::brep {

namespace {

struct KnotTable {
  std::vector<double> values;
  std::vector<int> counts;
  TColStd_Array1OfReal knots() const {
    TColStd_Array1OfReal a(1, int(values.size()));
    for (size_t i = 0; i < values.size(); ++i) a(int(i) + 1) = values[i];
    return a;
  }
  TColStd_Array1OfInteger multiplicities() const {
    TColStd_Array1OfInteger a(1, int(counts.size()));
    for (size_t i = 0; i < counts.size(); ++i) a(int(i) + 1) = counts[i];
    return a;
  }
};

KnotTable tabulate(const nurbs::Knots& U) {
  KnotTable t;
  for (double u : U) {
    if (t.values.empty() || u - t.values.back() > 1e-12) {
      t.values.push_back(u);
      t.counts.push_back(1);
    } else {
      ++t.counts.back();
    }
  }
  return t;
}

} // namespace

Handle(Geom_Curve) toCurve(const nurbs::Spline& c) {
  TColgp_Array1OfPnt poles(1, c.size());
  for (int i = 0; i < c.size(); ++i) poles(i + 1) = toPnt(c.points().row(i).transpose());
  const KnotTable t = tabulate(c.knots());
  return new Geom_BSplineCurve(poles, t.knots(), t.multiplicities(), c.degree());
}

BoundedCurve toCurve(const nurbs::Segment& s) {
  if (const auto* line = std::get_if<nurbs::LineSegment>(&s)) {
    const Vec3 d = line->b - line->a;
    return {new Geom_Line(toPnt(line->a), gp_Dir(d.x(), d.y(), d.z())), 0.0, d.norm()};
  }
  if (const auto* arc = std::get_if<nurbs::EllipseArc>(&s)) {
    const Vec3 n = arc->u.cross(arc->v);
    if (arc->circular()) {
      const gp_Ax2 ax(toPnt(arc->centre), gp_Dir(n.x(), n.y(), n.z()), gp_Dir(arc->u.x(), arc->u.y(), arc->u.z()));
      return {new Geom_Circle(ax, arc->u.norm()), arc->fromRad, arc->toRad};
    }
    // The kernel wants the longer half axis first; turning by a quarter keeps direction and range.
    const bool swap = arc->v.norm() > arc->u.norm();
    const Vec3 major = swap ? arc->v : arc->u;
    const double shift = swap ? -kPi / 2 : 0.0;
    const gp_Ax2 ax(toPnt(arc->centre), gp_Dir(n.x(), n.y(), n.z()), gp_Dir(major.x(), major.y(), major.z()));
    return {new Geom_Ellipse(ax, major.norm(), (swap ? arc->u : arc->v).norm()), arc->fromRad + shift,
            arc->toRad + shift};
  }
  const auto& c = std::get<nurbs::Spline>(s);
  return {toCurve(c), c.first(), c.last()};
}

Handle(Geom_BSplineCurve) toSplineCurve(const Handle(Geom_Curve) & c, double first, double last) {
  const Handle(Geom_BSplineCurve) s =
      GeomConvert::CurveToBSplineCurve(new Geom_TrimmedCurve(c, first, last), Convert_QuasiAngular);
  if (s->IsPeriodic()) s->SetNotPeriodic();
  return s;
}

TopoDS_Wire toWire(const nurbs::Path& p) {
  BRepBuilderAPI_MakeWire wire;
  for (const auto& s : p.segments()) {
    const BoundedCurve c = toCurve(s);
    wire.Add(BRepBuilderAPI_MakeEdge(c.curve, c.first, c.last).Edge());
  }
  return wire.Wire();
}

Handle(Geom_BSplineSurface) toSurface(const nurbs::Surface& s) {
  TColgp_Array2OfPnt poles(1, s.sizeU(), 1, s.sizeV());
  for (int i = 0; i < s.sizeU(); ++i)
    for (int j = 0; j < s.sizeV(); ++j) poles(i + 1, j + 1) = toPnt(s.point(i, j).transpose());
  const KnotTable u = tabulate(s.knotsU()), v = tabulate(s.knotsV());
  return new Geom_BSplineSurface(poles, u.knots(), v.knots(), u.multiplicities(), v.multiplicities(), s.degreeU(),
                                 s.degreeV());
}

std::optional<nurbs::Surface> toSurface(const Handle(Geom_Surface) & s, bool closedU) {
  const Handle(Geom_BSplineSurface) original = Handle(Geom_BSplineSurface)::DownCast(s);
  if (original.IsNull() || original->IsURational() || original->IsVRational()) return {};
  if (original->UDegree() > nurbs::kMaxDegree || original->VDegree() > nurbs::kMaxDegree) return {};
  const Handle(Geom_BSplineSurface) b = Handle(Geom_BSplineSurface)::DownCast(original->Copy());
  if (b->IsUPeriodic()) b->SetUNotPeriodic();
  if (b->IsVPeriodic()) b->SetVNotPeriodic();
  nurbs::Knots U, V;
  for (int i = 1; i <= b->NbUKnots(); ++i) U.insert(U.end(), b->UMultiplicity(i), b->UKnot(i));
  for (int i = 1; i <= b->NbVKnots(); ++i) V.insert(V.end(), b->VMultiplicity(i), b->VKnot(i));
  Points grid(b->NbUPoles() * b->NbVPoles(), 3);
  for (int i = 0; i < b->NbUPoles(); ++i)
    for (int j = 0; j < b->NbVPoles(); ++j) grid.row(i * b->NbVPoles() + j) = toVec(b->Pole(i + 1, j + 1)).transpose();
  return nurbs::Surface::trusted(b->UDegree(), b->VDegree(), std::move(U), std::move(V), std::move(grid), closedU);
}

std::optional<nurbs::Path> toPath(const TopoDS_Edge& e) {
  double a = 0, b = 0;
  Handle(Geom_Curve) c = BRep_Tool::Curve(e, a, b);
  if (c.IsNull()) return {};
  while (const auto* trimmed = dynamic_cast<const Geom_TrimmedCurve*>(c.get())) c = trimmed->BasisCurve();
  nurbs::Segment segment;
  if (dynamic_cast<const Geom_Line*>(c.get())) {
    segment = nurbs::LineSegment{toVec(c->Value(a)), toVec(c->Value(b))};
  } else if (const auto* conic = dynamic_cast<const Geom_Conic*>(c.get());
             conic && (dynamic_cast<const Geom_Circle*>(conic) || dynamic_cast<const Geom_Ellipse*>(conic))) {
    const Vec3 centre = toVec(conic->Location());
    segment = nurbs::EllipseArc{centre, toVec(c->Value(0.0)) - centre, toVec(c->Value(kPi / 2)) - centre, a, b};
  } else {
    Handle(Geom_BSplineCurve) spline = Handle(Geom_BSplineCurve)::DownCast(c);
    spline = spline.IsNull() ? toSplineCurve(c, a, b) : Handle(Geom_BSplineCurve)::DownCast(spline->Copy());
    if (spline->IsPeriodic()) spline->SetNotPeriodic();
    spline->Segment(std::max(a, spline->FirstParameter()), std::min(b, spline->LastParameter()));
    if (spline->IsRational() || spline->Degree() > nurbs::kMaxDegree) {
      GeomConvert_ApproxCurve refit(spline, kRefittedMm, GeomAbs_C2, 200, 5);
      if (!refit.HasResult() || refit.MaxError() > kRefittedMm) return {};
      spline = refit.Curve();
    }
    nurbs::Knots U;
    for (int i = 1; i <= spline->NbKnots(); ++i) U.insert(U.end(), spline->Multiplicity(i), spline->Knot(i));
    Points P(spline->NbPoles(), 3);
    for (int i = 0; i < P.rows(); ++i) P.row(i) = toVec(spline->Pole(i + 1)).transpose();
    auto made = nurbs::Spline::make(spline->Degree(), std::move(U), std::move(P), spline->IsClosed());
    if (!made) return {};
    segment = *made;
  }
  auto path = nurbs::Path::make({segment}, {1e-7});
  if (!path) return {};
  return *path;
}

std::optional<nurbs::Path> toPath(const TopoDS_Wire& w, LengthTolerance point) {
  std::vector<nurbs::Segment> segments;
  for (BRepTools_WireExplorer e(w); e.More(); e.Next()) {
    auto path = toPath(e.Current());
    if (!path) return {};
    if (e.Current().Orientation() == TopAbs_REVERSED) path = nurbs::reversed(*path);
    for (const auto& s : path->segments()) segments.push_back(s);
  }
  auto path = nurbs::Path::make(std::move(segments), point);
  if (!path) return {};
  return *path;
}

} // namespace lumsk::brep
