#pragma once
#include "nurbs/measure/surface_measure.h"

#include <TopoDS_Face.hxx>

namespace lumsk::brep {

/// Area and moments of a face, trimmed or not, seen from a point and along its front. Splines and planes by quadrature
/// over what their borders in the parameter plane enclose, `nodes` a span (nought: as many as make the moments exact but
/// for the borders); others by the kernel, within `relative`.
nurbs::SurfaceIntegrals integralsOf(const TopoDS_Face& f, const Vec3& from, int nodes, double relative);

} // namespace lumsk::brep
