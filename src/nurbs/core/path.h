#pragma once
#include "nurbs/core/spline.h"

#include <variant>

namespace lumsk::nurbs {

struct LineSegment {
  Vec3 a, b;
};

/// centre + cos(t) u + sin(t) v for t from `fromRad` to `toRad`; a circle's arc when u and v are as long and square.
struct EllipseArc {
  Vec3 centre, u, v;
  double fromRad = 0.0, toRad = 2.0 * kPi;

  bool circular() const;
};

using Segment = std::variant<LineSegment, EllipseArc, Spline>;

/// A curve as people draw it: lines, arcs and splines end to end. Lines and arcs stay what they are.
/// Its parameter runs over [0, number of segments]; inside each segment it is linear in the segment's own one.
class Path {
public:
  Path() = default;
  /// Splines are cut where they have a corner, so that corners lie at joints only. Fails with LM-G004 where segments do
  /// not meet within `point`, LM-G005 when the whole is shorter than `point`, LM-G002 for unusable coordinates.
  static Expected<Path> make(std::vector<Segment> segments, LengthTolerance point);

  const std::vector<Segment>& segments() const { return segments_; }
  bool closed() const { return closed_; }
  double last() const { return double(segments_.size()); }
  int degree() const; ///< highest degree of its splines, 1 for lines, 5 where arcs need many

  Vec3 at(double t) const;
  void derivatives(double t, int order, CurveDerivatives& out) const;
  /// Derivative just before a joint, as `derivatives` gives the one just after it.
  Vec3 tangentBefore(double t) const;
  Vec3 start() const { return at(0.0); }
  Vec3 end() const { return at(last()); }

  /// Parameters of joints (and of the closing joint as 0) where the tangent turns by more than `corner`.
  std::vector<double> corners(AngleTolerance corner) const;
  /// Centre of its single circle or ellipse, if it is one.
  const EllipseArc* wholeEllipse() const;

private:
  std::vector<Segment> segments_;
  bool closed_ = false;
};

/// Moved, turned, mirrored or scaled; ellipses are given by their principal axes again.
Path transformed(const Path& p, const Eigen::Affine3d& t);
Path reversed(const Path& p);
Eigen::Affine3d reflectionIn(const Frame& plane);
Path mirrored(const Path& p, const Frame& plane);
/// A path and its mirror image as one, joined where the path ends in the plane; closed if both its ends do. Fails with
/// LM-M002 when neither end lies within `point` of the plane.
Expected<Path> joinedWithImage(const Path& p, const Frame& plane, LengthTolerance point);

/// Plane of a path: least-squares frame of points on it, with the largest distance from it.
struct PlaneFit {
  Frame frame;
  double deviationMm = 0.0;
};
/// Fits a plane to points (n x 3); the normal follows the area vector of the closed polygon where that is defined.
/// For points on one line the deviation is 0 and `unique` is false.
struct PlaneOfPoints : PlaneFit {
  bool unique = true;
};
PlaneOfPoints fitPlane(const Points& points);
/// Points along the path, `perSegment` on each line or arc and on each span of a spline, start and end included.
Points polyline(const Path& p, int perSegment);
/// Points along the path so dense that its chords stay within `chordMm` (at least two a span).
Points polylineWithin(const Path& p, double chordMm);

/// Where a path crosses itself away from its joints, seen along its plane's normal: 1000 at most; none out of plane.
std::vector<Vec3> selfCrossings(const Path& p, LengthTolerance point);

} // namespace lumsk::nurbs
