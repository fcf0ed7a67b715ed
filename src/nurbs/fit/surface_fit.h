#pragma once
#include "base/context.h"
#include "nurbs/fit/fit.h"
#include "nurbs/core/surface.h"

namespace lumsk::nurbs {

struct SurfaceFitOptions {
  int degreeU = 5, degreeV = 5;
  bool closedU = false;
  LengthTolerance fit{0.0005};
  bool leaves = false; ///< it leaves its open borders as the function does: first derivatives there are met exactly
  std::vector<double> firstBreaksU, firstBreaksV; ///< over [0, 1], as `LeanOptions::firstBreaks`
};

struct SurfaceFit {
  Surface surface;
  double deviationMm = 0.0; ///< largest distance at places between the samples
};

/// One spline surface over [0, 1]^2 through a point function, within `fit`: knots in each direction are chosen from
/// lines of the other, then one tensor least-squares solve (Piegl & Tiller 1997, 9.4.3). Borders depend on the border
/// values alone, so a planar border stays planar and a pole stays a point. Fails with LM-G101.
Expected<SurfaceFit> fitSurface(const std::function<Vec3(double, double)>& f, const SurfaceFitOptions& options,
                                const Context& cx);

} // namespace lumsk::nurbs
