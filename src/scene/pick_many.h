#pragma once
#include "inspect/joins.h"
#include "scene/picker.h"

namespace lumsk::scene {

/// Everything of a wanted kind that lies whole in a rectangle of the view (pixels), hidden things included; nearest
/// first.
std::vector<Hit> pickInside(const Scene& d, const Camera& camera, const Vec2& corner, const Vec2& opposite,
                            recipe::Kind wanted);

/// The edges that go on smoothly from an edge, one after another at both ends, itself included; turns of less than
/// `corner` count as smooth.
std::vector<Hit> tangentChain(const Scene& d, const Hit& edge, AngleTolerance corner);

/// The edges of the same body that are like an edge with what goes on from it: open as well, or with faces that meet at about the same largest
/// angle (5 degrees), and as straight or bent; whole lines, however they are divided. Itself included.
std::vector<Hit> similarEdges(const Scene& d, const Hit& edge, const std::vector<inspect::Join>& joins);

} // namespace lumsk::scene
