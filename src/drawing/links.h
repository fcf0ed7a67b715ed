#pragma once
#include "base/context.h"
#include "drawing/value.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

/// Something outside that a drawing refers to, square onto its plane.
struct Link {
  Id id;                           ///< of the pick
  std::vector<nurbs::Path> paths;  ///< in space; a body has several
  std::optional<Vec3> point = {};  ///< or a single place
};

/// The drawing with what it refers to as that lies now: a linked entity for every piece, or a linked point, made where
/// there is none yet, changed where it lies otherwise, gone where its link is gone. Lines stay lines, circles in planes that are parallel
/// stay circles and arcs, splines keep their control points; other arcs become splines within `fit`. Fails with LM-U030
/// (a curve that is seen end on).
Expected<Drawing> withLinks(const Drawing& d, const std::vector<Link>& links, const Frame& plane, const Context& cx);

} // namespace lumsk::drawing
