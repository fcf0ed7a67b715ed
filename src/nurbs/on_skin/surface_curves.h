#pragma once
#include "nurbs/core/path.h"
#include "nurbs/on_skin/zero_set.h"

#include <memory>

namespace lumsk::nurbs {

// Curves on surfaces, as zeros of functions: intersections, sections, silhouettes, offsets.

/// Finds nearest places of one surface fast: a table of points in blocks, then Newton's steps. For many threads.
class NearestOnSurface {
public:
  explicit NearestOnSurface(const Surface& s); ///< the surface must outlive it
  struct Foot {
    Vec2 uv = Vec2::Zero();
    Vec3 point = Vec3::Zero(), normal = Vec3::Zero();
    double distanceMm = 0.0;
    bool beyond = false; ///< the nearest place is on the border and the point lies beyond it
  };
  Foot foot(const Vec3& p) const;
  const Surface& surface() const { return *s_; }

private:
  struct Block {
    Vec3 centre;
    double radius;
    int i0, i1, j0, j1;
  };
  Vec2 nearestSample(const Vec3& p) const;
  const Surface* s_;
  std::vector<double> us_, vs_;
  std::vector<Vec3> at_;
  std::vector<Block> blocks_;
};

/// Height over a plane; signed distance from another surface, which is carried on straight beyond its border; sine of
/// the angle between tangent plane and a direction; distance from a path less a number. All in mm but the third.
Field planeField(const Surface& s, const Frame& plane);
Field surfaceField(const Surface& s, std::shared_ptr<const NearestOnSurface> other);
Field silhouetteField(const Surface& s, const Vec3& direction);
Field distanceField(const Surface& s, std::shared_ptr<const Path> path, double mm);

/// A piece of a curve on a surface.
struct CurveOnSurface {
  Path path;
  double deviationMm = 0.0; ///< from the true curve
  bool contact = false;     ///< the surfaces touch along it and do not cross
};
struct CurvesOnSurface {
  std::vector<CurveOnSurface> curves;
  std::vector<Vec3> touches;
};

/// Step for following curves on a surface: a small part of its size.
double followStep(const Surface& s);

/// The zeros of a field as splines within `fit`, where `inside` holds; ends lie where it begins or ceases to.
/// Fails as `zeroSet` and `fitTraced` do.
Expected<CurvesOnSurface> zeroCurves(const Surface& s, const Field& f, double touch,
                                     const std::function<bool(const Vec2&)>& inside, const Context& cx);

/// Pieces whose ends meet within `gap`, put end to end; where more than two meet those that go on straightest.
/// Smooth joints stay joints.
std::vector<Path> assembled(const std::vector<Path>& pieces, double gapMm, const Tolerances& tol);

/// Stretches between places in order on which a condition holds, their ends found by halving.
std::vector<std::pair<double, double>> stretchesWhere(const std::vector<double>& places,
                                                      const std::function<bool(double)>& holds);
/// Stretches of an interval on which a condition holds at `samples` places, likewise.
std::vector<std::pair<double, double>> stretchesWhere(double first, double last, int samples,
                                                      const std::function<bool(double)>& holds);

/// The surface swept out by a smooth piece of a path along a vector.
Surface extrudedSurface(const Spline& c, const Vec3& from, const Vec3& to);

} // namespace lumsk::nurbs
