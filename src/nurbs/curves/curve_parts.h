#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

// Parts of curves, and curves put together.

/// The part between two parameters, each in [0, last]; of closed paths `from` may lie behind `to`, the part then runs
/// through the seam. Lines, arcs and splines stay what they are. Fails with LM-P041 when nothing is between them.
Expected<Path> pathPortion(const Path& p, double from, double to, LengthTolerance point);
/// The pieces between parameters, in order; those of a closed path start at the first of them. Fails with LM-P041.
Expected<std::vector<Path>> splitAt(const Path& p, std::vector<double> at, LengthTolerance point);

struct ChainedCurves {
  Path path;
  double largestGapMm = 0.0;
  Vec3 gapAt = Vec3::Zero();
};
/// Curves end to end, given in any order and direction, as one path that runs as the first of them. Ends up to `gap`
/// apart are brought together in their middle (see `endMoved`). Fails with LM-P042 where no end is near enough (the
/// nearest distance is given), LM-P043 where one is closed or more than two meet.
Expected<ChainedCurves> chained(const std::vector<Path>& curves, LengthTolerance gap, const Context& cx);

/// Largest distance of a path from another one, measured at many places, and where.
struct Deviation {
  double mm = 0.0;
  Vec3 at = Vec3::Zero();
};
Deviation deviationFrom(const Path& p, const Path& from);

} // namespace lumsk::nurbs
