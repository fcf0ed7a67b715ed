#include "inspect/face_measure.h"

#include "brep/convert.h"

#include <BRepBndLib.hxx>
#include <BRepGProp.hxx>
#include <BRepGProp_Domain.hxx>
#include <BRepGProp_Face.hxx>
#include <BRepGProp_Vinert.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <GProp_GProps.hxx>
#include <Geom2d_BSplineCurve.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

namespace lumsk::inspect {

namespace {

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

} // namespace

FaceMeasure measureFace(const brep::Body& b, const TopoDS_Face& f, const std::string& name,
                        const nurbs::Extent& known) {
  const auto it = b.natural.find(name);
  const brep::NaturalFace* natural = it == b.natural.end() ? nullptr : &it->second;
  // Finely divided borders make the adaptive way very slow, and close by themselves.
  const double relative = borderSpans(f) > 60 ? 1e-3 : 1e-7;
  FaceMeasure m;
  if (natural) {
    const auto i = nurbs::integralsOf(*natural->surface);
    m.areaMm2 = i.areaMm2;
    m.momentMm3 = i.momentMm3 * (natural->reversed ? -1.0 : 1.0);
    m.areaFirst = i.areaFirst;
    m.momentFirst = i.momentFirst * (natural->reversed ? -1.0 : 1.0);
    m.box = nurbs::extentOf(*natural->surface);
    return m;
  }
  GProp_GProps area;
  BRepGProp::SurfaceProperties(f, area, relative);
  m.areaMm2 = area.Mass();
  m.areaFirst = area.Mass() * brep::toVec(area.CentreOfMass());
  BRepGProp_Face surface(f);
  BRepGProp_Domain borders(f);
  const BRepGProp_Vinert cone(surface, borders, gp_Pnt(0, 0, 0), relative);
  m.momentMm3 = cone.Mass();
  m.momentFirst = cone.Mass() * brep::toVec(cone.CentreOfMass());
  m.box = boxOf(f, known);
  return m;
}

nurbs::Extent boxOf(const brep::Body& b) {
  nurbs::Extent box;
  const auto all = brep::faces(b);
  for (size_t i = 0; i < all.size(); ++i) {
    const auto natural = b.natural.find(b.faceNames[i]);
    const auto e = natural == b.natural.end() ? boxOf(all[i], box) : nurbs::extentOf(*natural->second.surface);
    box.low = box.low.cwiseMin(e.low);
    box.high = box.high.cwiseMax(e.high);
  }
  return box;
}

} // namespace lumsk::inspect
