#pragma once
#include "nurbs/curves/curve_ends.h"

#include <optional>

namespace lumsk::nurbs {

struct PointMove {
  int point = 0; ///< number of the control point, counted along the curve; joints count once
  Vec3 by = Vec3::Zero();
};

struct ShapeOptions {
  int falloff = 0;             ///< neighbours on each side that follow, less and less
  std::optional<Frame> mirror; ///< what is moved on one side moves on the other, too
};

/// The directions in which a control point can be led: those of the curve at the place that it governs most.
struct PointFrame {
  Vec3 tangent, normal, binormal;
};

struct ShapedCurve {
  Path path;
  std::vector<Vec3> points;                ///< all control points as they are now
  std::vector<PointFrame> frames;          ///< of each
  std::vector<std::vector<Vec3>> polygons; ///< of each piece
  double movedMm = 0.0;                    ///< of any control point, at most
  std::vector<int> lost;                   ///< moves of points that the curve does not have
  std::vector<int> unmirrored;             ///< moved points that have no mirror image among the others
  std::vector<Vec3> opened;                ///< joints that were smooth within `angle` before and are not now
};

/// A curve with moved control points; lines and arcs become splines first.
Expected<ShapedCurve> shaped(const Path& base, const std::vector<PointMove>& moves, const ShapeOptions& o,
                             const Context& cx);
/// All control points of a curve in a row: the first of a piece is the last of the one before.
struct PointNet {
  std::vector<Spline> splines; ///< the pieces; lines and arcs become splines
  std::vector<Vec3> points;
  std::vector<std::pair<int, int>> where; ///< piece and index in it, of each
  std::vector<int> firstOf;               ///< number of the first one of each piece
  int numberOf(int piece, int i) const { return (firstOf[std::size_t(piece)] + i) % int(points.size()); }
};
Expected<PointNet> pointNet(const Path& base, const Context& cx);
/// How many control points `shaped` tells apart on a curve.
Expected<int> shapePointCount(const Path& base, const Context& cx);

} // namespace lumsk::nurbs
