#pragma once
#include "brep/body.h"
#include "nurbs/measure/surface_measure.h"

namespace lumsk::inspect {

/// What one face adds to area, volume (by the divergence theorem) and box.
struct FaceMeasure {
  double areaMm2 = 0.0, momentMm3 = 0.0;
  Vec3 areaFirst = Vec3::Zero(), momentFirst = Vec3::Zero(); ///< first moments, see `nurbs::SurfaceIntegrals`
  nurbs::Extent box;
};

/// Whole spline faces by our quadrature, all others by the kernel's adaptive ways. Of a trimmed face the box is only
/// what sticks out of `known`.
FaceMeasure measureFace(const brep::Body& b, const TopoDS_Face& f, const std::string& name, const nurbs::Extent& known);

/// The box of a body, mm.
nurbs::Extent boxOf(const brep::Body& b);

} // namespace lumsk::inspect
