#pragma once
#include "nurbs/core/surface.h"

#include <array>

namespace lumsk::nurbs {

/// Where a carried section stands: an affine map from its own coordinates, whose first two axes lie across the way and
/// whose third one lies along it.
struct Carried {
  Vec3 origin = Vec3::Zero();
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity(); ///< columns
  Vec3 along = Vec3::UnitZ();   ///< unit: square to the plane of the first two axes, forwards

  static Carried from(const Frame& f);
  Vec3 at(const Vec3& local) const { return origin + axes * local; }
  Vec3 local(const Vec3& world) const; ///< nought where the axes have shrunk to a point
  bool shrunk() const;
  Frame frame() const; ///< the first axis square to `along`, of length 1
};

/// How what is carried moves at an end of the way: the map and its first to third derivatives by the loft's parameter.
struct CarriedWay {
  std::array<Vec3, 4> origin;
  std::array<Eigen::Matrix3d, 4> axes;
  Vec3 along = Vec3::UnitZ(); ///< as of `Carried`

  /// Derivative of a place, of an order from 0 to 3, whose own coordinates change as given.
  Vec3 at(int order, const std::array<Vec3, 4>& local) const;
  /// Changes of own coordinates, of first to third order as far as `moves` says, that make a place move so; `local` holds
  /// the place itself.
  void solve(std::array<Vec3, 4>& local, const std::array<Vec3, 3>& moves, int orders) const;
};

} // namespace lumsk::nurbs
