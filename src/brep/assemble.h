#pragma once
#include "brep/history.h"

#include <Geom2d_Curve.hxx>

#include <functional>

namespace lumsk::brep {

// Bodies put together of faces whose edges are shared already: nothing is sewn.

/// A skin of faces; names and splines are theirs. `labels`: what names of open edges of trimmed faces say besides these.
BodyPtr skinOf(const std::vector<NamedFace>& faces, const EdgeLabels& labels = {});

/// What the names of a body's edges say besides one of their faces, without the numbers of ties.
EdgeLabels labelsOf(const Body& b);

/// The side of a rectangle of a face's parameters (in the order of `NaturalFace`) along which an edge runs; -1: none.
int sideAlong(const TopoDS_Edge& e, const TopoDS_Face& f, const Vec2& low, const Vec2& high);

/// A curve of a domain in the kernel's parameters, which are linear in the spline's.
Handle(Geom2d_Curve) toDomain(const nurbs::Spline& image, const std::function<Vec2(const Vec2&)>& kernelPlace);

} // namespace lumsk::brep
