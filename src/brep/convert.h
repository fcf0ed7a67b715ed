#pragma once
#include "base/vec.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <Geom_BSplineCurve.hxx>
#include <Geom_BSplineSurface.hxx>
#include <Geom_Curve.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Wire.hxx>
#include <gp_Dir.hxx>
#include <gp_Pnt.hxx>

#include <optional>

namespace lumsk::brep {

inline gp_Pnt toPnt(const Vec3& p) { return {p.x(), p.y(), p.z()}; }
inline Vec3 toVec(const gp_XYZ& p) { return {p.X(), p.Y(), p.Z()}; }
inline Vec3 toVec(const gp_Pnt& p) { return toVec(p.XYZ()); }
inline Vec3 toVec(const gp_Vec& p) { return toVec(p.XYZ()); }

Handle(Geom_Curve) toCurve(const nurbs::Spline& c);
/// Lines stay lines, arcs stay circles or ellipses. The curve's range is [first, last].
struct BoundedCurve {
  Handle(Geom_Curve) curve;
  double first = 0.0, last = 1.0;
};
BoundedCurve toCurve(const nurbs::Segment& s);
/// Any bounded curve as a B-spline over its range.
Handle(Geom_BSplineCurve) toSplineCurve(const Handle(Geom_Curve) & c, double first, double last);
TopoDS_Wire toWire(const nurbs::Path& p);
Handle(Geom_BSplineSurface) toSurface(const nurbs::Surface& s);

/// Polynomial B-spline surfaces exactly; nothing for other kinds. `closedU`: the two borders across u are one line.
std::optional<nurbs::Surface> toSurface(const Handle(Geom_Surface) & s, bool closedU);

/// Edge to path: exact for lines, circles, ellipses and polynomial splines; others as splines within
/// `kRefittedMm`. Nothing where it has no curve in space.
std::optional<nurbs::Path> toPath(const TopoDS_Edge& e);
constexpr double kRefittedMm = 1e-4;
/// The edges of a wire in their order, joined within the tolerance.
std::optional<nurbs::Path> toPath(const TopoDS_Wire& w, LengthTolerance point);

} // namespace lumsk::brep
