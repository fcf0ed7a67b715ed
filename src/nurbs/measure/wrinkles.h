#pragma once
#include "nurbs/core/surface.h"

#include <functional>
#include <vector>

namespace lumsk::nurbs {

/// How unevenly skins bend: area x integral of |grad k1|^2 + |grad k2|^2 over the integral of k1^2 + k2^2 + 1/(10 L)^2,
/// gradients along the surface, L the diagonal of their box. Free of units and of parametrisation; nought for planes,
/// spheres and cylinders. Three Gauss points each way a span; poles are left out.
/// `counts`: of trimmed skins, which places (number of the skin, u, v) are theirs; without it all.
double wrinkleIndex(const std::vector<Surface>& skins, const std::function<bool(size_t, double, double)>& counts = {});
/// Where of these places the bending changes most.
Vec3 bumpiestPlace(const std::vector<Surface>& skins);

} // namespace lumsk::nurbs
