#pragma once
#include "base/problem.h"
#include "base/tolerances.h"
#include "base/vec.h"

#include <Eigen/Geometry>

#include <vector>

namespace lumsk::nurbs {

/// What an object is held by when it is put against another: a point, a straight line, or a plane with the side it
/// faces.
struct Hold {
  enum class Kind { Point, Line, Plane };
  Kind kind = Kind::Point;
  Vec3 at = Vec3::Zero();
  Vec3 direction = Vec3::Zero(); ///< unit; of lines and planes
};

/// Two that shall meet: points coincide, lines are one, planes lie in one another facing each other; a point comes to lie on
/// a line or in a plane.
struct AlignPair {
  Hold from, to;
  bool flip = false; ///< lines run against each other, planes face the same way
  double gapMm = 0.0; ///< of planes and of points in planes: so far in front of the one that stays
};

struct Aligned {
  Eigen::Isometry3d placing = Eigen::Isometry3d::Identity();
  std::vector<double> offMm, offDeg; ///< what is left between each pair
  int worst = -1;                    ///< the pair that is farthest off, where one is not met within the tolerances
};

/// The placing that brings all pairs together, turning and moving as little as it must: damped Gauss-Newton steps of
/// least norm from turns by quarters about the first pair's direction (Levenberg 1944, Marquardt 1963). `sizeMm` of the
/// object weighs angles against lengths. Pairs that contradict one another are left apart, as `worst` tells. Fails with
/// LM-M020 for a line that shall meet a plane.
Expected<Aligned> aligned(const std::vector<AlignPair>& pairs, double sizeMm, const Tolerances& tol);

} // namespace lumsk::nurbs
