#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <functional>

namespace lumsk::nurbs {

struct RibbonOptions {
  /// Unit direction away from the curve at a place of it, with the unit tangent there.
  std::function<Vec3(const Vec3& at, const Vec3& tangent)> direction;
  double startWidthMm = 10, endWidthMm = 10; ///< linear over the length between
};

struct Ribbon {
  std::vector<Surface> strips; ///< one per stretch between corners; v = 0 is the curve, v = 1 the free border
  double deviationMm = 0.0;
};

/// A short skin along a curve, straight across: the carrier of a tangent plane (see nurbs.md, "ribbon"). Fails with
/// LM-P071 (no width), LM-P072 (the direction runs along the curve: place), LM-P073 (the skin folds over: place),
/// LM-G101.
Expected<Ribbon> ribbonAlong(const Path& path, const RibbonOptions& options, const Context& cx);

/// Of a path at a parameter; at its end the one before it.
Vec3 unitTangent(const Path& p, double t);

} // namespace lumsk::nurbs
