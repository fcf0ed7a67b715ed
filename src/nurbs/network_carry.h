#pragma once
#include "base/context.h"
#include "nurbs/path.h"
#include "nurbs/surface.h"

#include <optional>

namespace lumsk::nurbs {

/// A curve that ends within a network, and the skin of that network without it.
struct UnfinishedCurve {
  const Path* path = nullptr;
  const Surface* skin = nullptr;            ///< u runs as the curve does, or against it
  std::vector<double> places;               ///< u of the curves that it should cross, growing
  std::vector<std::optional<Vec3>> crossed; ///< where it does
  std::vector<double> neighbours;           ///< v of its own family's curves, growing
  std::string called;
};

struct CarriedCurve {
  Path path;
  std::vector<Vec3> from; ///< where it was carried on
};

/// The curve, carried on along the skin to the last of the places: it goes on with equal curvature; how far it lies off
/// the skin, and off the line through its last two crossings in the skin's parameters, fades out until the first place
/// that it missed. Fails with LM-N015 where it passes by a curve between two
/// that it crosses, ends outside of the skin, or does not go on towards the curves that are missing.
Expected<CarriedCurve> carriedOn(const UnfinishedCurve& curve, const Tolerances& tol);

} // namespace lumsk::nurbs
