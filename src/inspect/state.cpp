#include "inspect/state.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "nurbs/offset.h"
#include "nurbs/surface_measure.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepGProp.hxx>
#include <BRepGProp_Domain.hxx>
#include <BRepGProp_Face.hxx>
#include <BRepGProp_Vinert.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GProp_GProps.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace lumsk::inspect {

namespace {

std::vector<Opening> openingsOf(const TopoDS_Shape& shape) {
  constexpr int kPerEdge = 64;
  std::vector<Opening> out;
  for (const brep::Ring& r : brep::openRings(shape)) {
    Opening o;
    o.edges = int(r.edges.size());
    const Points pts = brep::pointsAlong(r, kPerEdge);
    for (Eigen::Index i = 0; i < pts.rows(); ++i) {
      o.outline.push_back(pts.row(i).transpose());
      if (i + 1 < pts.rows() || r.closed) o.lengthMm += (pts.row((i + 1) % pts.rows()) - pts.row(i)).norm();
    }
    if (r.closed) o.outline.push_back(o.outline.front());
    out.push_back(std::move(o));
  }
  return out;
}

/// What one face adds to area, volume (by the divergence theorem) and box.
struct FaceMeasure {
  double areaMm2 = 0.0, momentMm3 = 0.0;
  nurbs::Extent box;
};

/// The box of a trimmed face. The kernel's exact way is slow: it is gone only where the quick one, which is never too
/// small, sticks out of what is known.
nurbs::Extent boxOf(const TopoDS_Face& f, const nurbs::Extent& known) {
  nurbs::Extent out;
  Bnd_Box box;
  BRepBndLib::Add(f, box, false);
  if (box.IsVoid()) return out;
  const Vec3 low = brep::toVec(box.CornerMin()), high = brep::toVec(box.CornerMax());
  if ((low.array() >= known.low.array()).all() && (high.array() <= known.high.array()).all()) return out;
  box.SetVoid();
  BRepBndLib::AddOptimal(f, box, false, false);
  box.Get(out.low.x(), out.low.y(), out.low.z(), out.high.x(), out.high.y(), out.high.z());
  return out;
}

int borderSpans(const TopoDS_Face& f) {
  int spans = 0;
  for (TopExp_Explorer e(f, TopAbs_EDGE); e.More(); e.Next()) {
    double a, b;
    const Handle(Geom2d_BSplineCurve) c =
        Handle(Geom2d_BSplineCurve)::DownCast(BRep_Tool::CurveOnSurface(TopoDS::Edge(e.Current()), f, a, b));
    spans += c.IsNull() ? 1 : c->NbKnots() - 1;
  }
  return spans;
}

/// Whole spline faces by our quadrature, all others by the kernel's adaptive ways.
FaceMeasure measureFace(const TopoDS_Face& f, const brep::NaturalFace* natural, const nurbs::Extent& known) {
  // Finely divided borders make the adaptive way very slow, and close by themselves.
  const double relative = borderSpans(f) > 60 ? 1e-3 : 1e-7;
  FaceMeasure m;
  if (natural) {
    const auto i = nurbs::integralsOf(*natural->surface);
    m.areaMm2 = i.areaMm2;
    m.momentMm3 = i.momentMm3 * (natural->reversed ? -1.0 : 1.0);
    m.box = nurbs::extentOf(*natural->surface);
    return m;
  }
  GProp_GProps area;
  BRepGProp::SurfaceProperties(f, area, relative);
  m.areaMm2 = area.Mass();
  BRepGProp_Face surface(f);
  BRepGProp_Domain borders(f);
  m.momentMm3 = BRepGProp_Vinert(surface, borders, gp_Pnt(0, 0, 0), relative).Mass();
  m.box = boxOf(f, known);
  return m;
}

} // namespace

BodyState stateOf(const brep::Body& b) {
  BodyState s;
  const auto done = brep::guarded("measuring a body", [&]() -> Expected<bool> {
    s.solid = b.solid();
    s.valid = BRepCheck_Analyzer(b.shape).IsValid();
    const auto allFaces = brep::faces(b);
    s.faces = int(allFaces.size());
    s.openEdges = int(brep::openEdges(b.shape).size());
    s.openings = openingsOf(b.shape);
    for (const TopoDS_Face& f : allFaces) {
      const Handle(Geom_BSplineSurface) g = Handle(Geom_BSplineSurface)::DownCast(BRep_Tool::Surface(f));
      if (!g.IsNull()) s.controlPoints += g->NbUPoles() * g->NbVPoles();
    }
    nurbs::Extent box;
    for (size_t i = 0; i < allFaces.size(); ++i) {
      const auto natural = b.natural.find(b.faceNames[i]);
      const FaceMeasure m = measureFace(allFaces[i], natural == b.natural.end() ? nullptr : &natural->second, box);
      s.areaMm2 += m.areaMm2;
      if (s.solid) s.volumeMm3 += m.momentMm3;
      box.low = box.low.cwiseMin(m.box.low);
      box.high = box.high.cwiseMax(m.box.high);
    }
    s.boxLow = box.low;
    s.boxHigh = box.high;
    s.largestToleranceMm = brep::largestTolerance(b.shape);
    return true;
  });
  if (!done) s.valid = false;
  return s;
}

SmallestRadius smallestRadius(const brep::Body& b, bool front) {
  SmallestRadius out;
  for (const auto& [name, face] : b.natural) {
    const auto r = nurbs::tightestRadius(*face.surface, front != face.reversed);
    if (r.radiusMm < out.mm) out = {r.radiusMm, r.at};
  }
  return out;
}

} // namespace lumsk::inspect
