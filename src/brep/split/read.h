#pragma once
#include "brep/split/net.h"

namespace lumsk::brep::split {

/// Adds the faces of a body, or one of them, with their edges and vertices. Gives the numbers of their sheets. Fails as
/// fitting a foreign face does.
Expected<std::vector<int>> read(Net& net, const Body& b, int bodyNumber, int face, const Context& cx);

} // namespace lumsk::brep::split
