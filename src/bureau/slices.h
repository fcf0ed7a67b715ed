#pragma once
#include "bureau/parts.h"

#include <functional>
#include <optional>
#include <polyclipping/clipper.hpp>

namespace lumsk::bureau {

// Areas of a layer are polygons of the Clipper library (Vatti, 1992), whose whole numbers are so many in a millimetre.
constexpr double kPerMm = 1e4;
using Areas = ClipperLib::Paths;
double areaMm2(const Areas& areas);

/// What is laid down at one height.
struct Layer {
  double zMm = 0.0; ///< its middle, as the file has it
  Areas solid;
  Areas thin;     ///< narrower than a machine can lay down
  Areas hanging;  ///< over nothing, steeper than 45 degrees
  Areas support;  ///< what is laid down below that, to be broken off
};

struct SliceOptions {
  double layerMm = 0.2;
  double leastWallMm = 0.8; ///< two beads side by side
};

/// Layers from the bed, which is at the parts' lowest place, upwards. Triangles that overlap or enclose one another count as one form where
/// they wind around once or more. Nothing where `goOn` (given the share that is done) has said no.
std::optional<std::vector<Layer>> sliced(const std::vector<Part>& parts, const SliceOptions& options, const std::function<bool(double)>& goOn);

} // namespace lumsk::bureau
