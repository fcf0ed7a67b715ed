#pragma once
#include "nurbs/measure/arc_length.h"

#include <algorithm>

namespace lumsk::nurbs {

/// A frame that moves along a path without turning about its tangent more than it must (double reflection; Wang,
/// Juettler, Zheng & Liu 2008). x is the first frame's direction carried along; the normal is the tangent.
class LeastTwist {
public:
  /// `start`: direction of x at the start, brought across the tangent; without one it lies level where it can.
  explicit LeastTwist(const Path& path, const Vec3& start = Vec3::Zero(), int perSegment = 384);
  /// Frame at a fraction of the path's length.
  Frame at(double fraction) const { return atParameter(length_.parameterAt(std::clamp(fraction, 0.0, 1.0) * length_.total())); }
  Frame atParameter(double t) const; ///< of the path
  double length() const { return length_.total(); }

private:
  Frame carried(const Frame& from, const Vec3& to, const Vec3& tangent) const;
  Vec3 tangent(double t) const;
  const Path& path_;
  ArcLength length_;
  std::vector<double> t_;
  std::vector<Frame> frames_;
};

} // namespace lumsk::nurbs
