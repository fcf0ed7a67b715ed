#include "nurbs/loft/carried.h"

#include <Eigen/LU>

namespace lumsk::nurbs {

namespace {

constexpr double kShrunk = 1e-9;  ///< of an axis: there is no way back to its own coordinates

} // namespace

Carried Carried::from(const Frame& f) {
  Carried c;
  c.origin = f.origin;
  c.along = f.normal();
  c.axes << f.x, f.y, c.along;
  return c;
}

Vec3 Carried::local(const Vec3& world) const {
  if (shrunk()) return Vec3::Zero();
  return axes.partialPivLu().solve(world - origin);
}

bool Carried::shrunk() const { return !(axes.col(0).norm() > kShrunk) || !(axes.col(1).norm() > kShrunk); }

Frame Carried::frame() const {
  const Vec3 x = (axes.col(0) - axes.col(0).dot(along) * along).normalized();
  return {origin, x, along.cross(x)};
}

Vec3 CarriedWay::at(int order, const std::array<Vec3, 4>& local) const {
  constexpr double kBinomial[4][4] = {{1}, {1, 1}, {1, 2, 1}, {1, 3, 3, 1}};
  Vec3 out = origin[size_t(order)];
  for (int j = 0; j <= order; ++j) out += kBinomial[order][j] * axes[size_t(order - j)] * local[size_t(j)];
  return out;
}

void CarriedWay::solve(std::array<Vec3, 4>& local, const std::array<Vec3, 3>& moves, int orders) const {
  const Eigen::PartialPivLU<Eigen::Matrix3d> lu(axes[0]);
  for (int q = 1; q <= orders; ++q) {
    local[size_t(q)].setZero();
    local[size_t(q)] = lu.solve(moves[size_t(q - 1)] - at(q, local));
  }
}

} // namespace lumsk::nurbs
