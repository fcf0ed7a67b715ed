#pragma once
#include "nurbs/core/surface.h"

#include <functional>
#include <optional>

namespace lumsk::nurbs {

struct LargestOnSurface {
  double value = 0.0, u = 0.0, v = 0.0;
};

/// Largest value of a function over a surface's domain: samples in every span, then a pattern search around the best
/// (Hooke & Jeeves 1961). Finds the global one where the function has no feature narrower than the samples.
LargestOnSurface largestOn(const Surface& s, int perSpanU, int perSpanV,
                           const std::function<double(double, double)>& f);

struct Extent {
  Vec3 low = Vec3::Constant(1e300), high = Vec3::Constant(-1e300);
};

/// Box of the surface itself, not of its control points, mm.
Extent extentOf(const Surface& s);

/// Box of places in every span: a little smaller than the surface, and cheap.
Extent sampledBox(const Surface& s);
/// Box of its control points, which holds the surface and costs nothing.
Extent enclosingBox(const Surface& s);

/// A place where a surface folds over: its normal turns round from one sample to the next.
std::optional<Vec3> firstFold(const Surface& s);

struct SurfaceIntegrals {
  double areaMm2 = 0.0;
  /// Integral of x . n / 3 along the normals: summed over a closed body, its volume (divergence theorem).
  double momentMm3 = 0.0;
  /// First moments: of the area (mm3), and of the cone from the origin to the surface, signed as `momentMm3` (mm4).
  Vec3 areaFirst = Vec3::Zero(), momentFirst = Vec3::Zero();
};

/// By Gauss points in every span: the moment exactly (8 points suffice to degree 5), the area nearly so.
/// `nodes`: so many points a span instead, for what need not be exact.
SurfaceIntegrals integralsOf(const Surface& s, int nodes = 0);

/// A place of the border of a region of a surface's domain, with the step in u that it stands for: the border runs
/// counter-clockwise about the region, clockwise about its holes.
struct BorderNode {
  double u = 0.0, v = 0.0, weight = 0.0;
};
/// The same over a region of the domain: along every node's line in v from the domain's first border to the node, summed
/// around the border (Green 1828).
SurfaceIntegrals integralsInside(const Surface& s, const std::vector<BorderNode>& border, int nodes = 0);

} // namespace lumsk::nurbs
