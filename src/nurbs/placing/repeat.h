#pragma once
#include "base/problem.h"
#include "nurbs/core/path.h"

#include <functional>
#include <string>
#include <vector>

namespace lumsk::nurbs {

// Where the copies of something stand. The first place is the thing's own and moves nothing. Names last while counts
// change: "3" is the third of the first row, "3-2" that of the second.

struct CopyPlace {
  std::string name;
  Eigen::Affine3d placing = Eigen::Affine3d::Identity();
};
using CopyPlaces = std::vector<CopyPlace>;

struct RowOf {
  Vec3 direction = Vec3::UnitX(); ///< unit
  int count = 1;
  double stepMm = 0.0;
};
/// A row, or rows of rows: every other of these is moved by `shiftMm` along the first direction.
CopyPlaces inRows(const RowOf& first, const RowOf& rows, double shiftMm);

struct RoundAxis {
  Vec3 at = Vec3::Zero(), axis = Vec3::UnitZ(); ///< unit
  int count = 1;
  double stepDeg = 0.0;
  bool turned = true; ///< copies turn with their places; else they stand as the first does
  int rings = 1;      ///< further ones outwards
  double ringStepMm = 0.0;
  int more = 0;       ///< so many more in each further ring, all even over the first one's whole angle
};
/// Copies of what has its middle somewhere. Of one that stands on the axis the first ring is itself alone, the second has
/// `count`.
CopyPlaces aroundAxis(const RoundAxis& o, const Vec3& middle);

struct AlongPath {
  int count = 1;
  double stepMm = 0.0; ///< nought: even to the path's farther end, of closed ones all around
};
/// Copies along a path from its place that is nearest to the middle, onwards to its farther end. `frameAt` gives at a
/// fraction of the length what they turn with. Fails with LM-M011 when the path is too short (how many it takes).
Expected<CopyPlaces> alongPath(const Path& path, const AlongPath& o, const Vec3& middle, const std::function<Frame(double)>& frameAt);

/// Images in one plane, or in two: the image, the image in the other, and the image of the image.
CopyPlaces inMirrors(const std::vector<Frame>& planes);

} // namespace lumsk::nurbs
