#pragma once
#include "brep/split/net.h"

namespace lumsk::brep::split {

/// Adds the faces of a body, or one of them, with their edges and vertices. Gives the numbers of their sheets. Fails as
/// fitting a foreign face does. `boxes`: by faces, what is taken of their surfaces; null: what they fill.
Expected<std::vector<int>> read(Net& net, const Body& b, int bodyNumber, int face, const Context& cx, const std::vector<FaceBox>* boxes = nullptr);

} // namespace lumsk::brep::split
