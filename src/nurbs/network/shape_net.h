#pragma once
#include "base/context.h"
#include "nurbs/joins/side_conditions.h"

namespace lumsk::nurbs {

// Skins shaped by their control points.

struct NetMove {
  int u = 0, v = 0; ///< number of the control point; round a closed skin the seam counts once
  Vec3 by = Vec3::Zero();
};

struct ShapeNetOptions {
  int falloff = 0;             ///< rows and columns around that follow, less and less
  std::optional<Frame> mirror; ///< what is moved on one side moves on the other, too
  /// By `Side`: order to which the skin stays there, 0..2; -1: its edge may move.
  std::array<int, 4> locks{0, 0, 0, 0};
  double smoothMm = 0.0; ///< control points are made even, each moved by at most so much; before the moves
};

struct NetPoint {
  int u = 0, v = 0;
  Vec3 at, alongU, alongV, normal; ///< unit directions of the rows through it, and of the skin, where it governs most
  bool locked = false;
};

struct ShapedNet {
  Surface surface;
  std::vector<NetPoint> points;        ///< all, as they are now
  double movedMm = 0.0, smoothedMm = 0.0; ///< of any control point, at most
  std::vector<NetMove> lost;           ///< moves of points that the skin does not have
  std::vector<Vec3> held;              ///< moved points in locked rows: they did not move
  std::vector<Vec3> unmirrored;        ///< moved points that have no mirror image among the others
};

/// A skin with moved control points. In locked rows nothing moves: derivatives to the lock's order stay to the last bit.
/// Smoothing takes the least sum of squared third divided differences of rows and columns at Greville abscissae, under
/// the limit, by projected Gauss-Seidel steps (the limit bounds the skin's own move: convex hull).
ShapedNet shapedNet(const Surface& base, const std::vector<NetMove>& moves, const ShapeNetOptions& options);

struct NetCounts {
  int degreeU = 3, degreeV = 3, spansU = 4, spansV = 4;
};
/// The same skin with at least these degrees, and rows added evenly until there are so many spans.
Surface refined(const Surface& s, const NetCounts& counts);

struct NetRefit {
  Surface surface;
  double deviationMm = 0.0;
  Vec3 deviationAt = Vec3::Zero();
};
/// A skin of these degrees and equal spans near another one (least squares row by row; corners are met; sides are the
/// fits of sides). Round closed skins periodic.
NetRefit refitted(const Surface& s, const NetCounts& counts);
/// With as few equal spans of these degrees as come within a deviation; the nearest that 40 spans each way give.
NetRefit refittedWithin(const Surface& s, int degreeU, int degreeV, LengthTolerance deviation);

} // namespace lumsk::nurbs
