#pragma once
#include "base/context.h"
#include "drawing/value.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

/// A piece of a curve as an entity: its shape and the places of its points.
struct Piece {
  Entity entity;
  std::vector<Vec2> at;
};

/// A segment square onto a plane. Lines stay lines, circles in parallel planes stay circles and arcs, splines keep their
/// control points, whole ellipses in parallel planes stay such; other arcs become splines within `fit`.
Expected<Piece> pieceOf(const nurbs::Segment& s, const Frame& plane, const Context& cx);

/// The drawing with segments of the plane z = 0 put into it, each an entity; ends that lie within `point` of one another
/// are one point.
Expected<Drawing> withSegments(const Drawing& d, const std::vector<nurbs::Segment>& segments, const Context& cx);

} // namespace lumsk::drawing
