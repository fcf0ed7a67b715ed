#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

/// Faces of a body by their numbers as bodies: those that hang together by their edges are one, in the order of their
/// first faces; `single`: each its own. Names stay; an edge that joined two faces keeps its name at the first one's.
std::vector<BodyPtr> facesApart(const Body& b, const std::vector<int>& faces, bool single);

/// A skin with its front on the other side.
BodyPtr turnedOver(const Body& b);

} // namespace lumsk::brep
