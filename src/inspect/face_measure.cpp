#include "inspect/face_measure.h"

#include "brep/convert.h"
#include "brep/face_integrals.h"

#include <BRepBndLib.hxx>
#include <Bnd_Box.hxx>

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

} // namespace

FaceMeasure measureFace(const brep::Body& b, const TopoDS_Face& f, const std::string& name,
                        const nurbs::Extent& known) {
  const auto it = b.natural.find(name);
  const brep::NaturalFace* natural = it == b.natural.end() ? nullptr : &it->second;
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
  constexpr double kRelative = 1e-7;
  const nurbs::SurfaceIntegrals i = brep::integralsOf(f, Vec3::Zero(), 0, kRelative);
  m.areaMm2 = i.areaMm2;
  m.momentMm3 = i.momentMm3;
  m.areaFirst = i.areaFirst;
  m.momentFirst = i.momentFirst;
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
