#pragma once
#include <TopoDS_Shape.hxx>

namespace lumsk::brep {

/// Sewing gives one of two edges the curve of the other, and finds its image on the face anew with few points: where a long curve turns sharply that
/// image may lie off by far more than the edges did. Edges of a fresh shape that are rough for that reason get images through as many places as bring
/// them within `near` mm of their curve; others stay as they are.
void mendImages(const TopoDS_Shape& sewn, double near);

} // namespace lumsk::brep
