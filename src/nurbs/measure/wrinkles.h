#pragma once
#include "nurbs/core/surface.h"

#include <vector>

namespace lumsk::nurbs {

/// How unevenly skins bend: area x integral of |grad k1|^2 + |grad k2|^2 over the integral of k1^2 + k2^2 + 1/(10 L)^2,
/// gradients along the surface, L the diagonal of their box. Free of units and of parametrisation; nought for planes,
/// spheres and cylinders. Three Gauss points each way a span; poles are left out.
double wrinkleIndex(const std::vector<Surface>& skins);
/// Where of these places the bending changes most.
Vec3 bumpiestPlace(const std::vector<Surface>& skins);

} // namespace lumsk::nurbs
