#pragma once
#include "nurbs/patch/patch_fit.h"
#include "nurbs/joins/side_conditions.h"

#include <array>

namespace lumsk::nurbs {

/// The four sides of a patch as they are asked to be, and what its corners and poles say of that.
/// Sides: 0: v = 0, 1: u = 1, 2: v = 1, 3: u = 0. Corners: k between sides k - 1 and k, at (0, 0), (1, 0), (1, 1), (0, 1).
class PatchSides {
public:
  static bool alongU(int side) { return side % 2 == 0; }
  static bool atLast(int side) { return side == 1 || side == 2; }
  static Vec2 domain(int side, double s) {
    return alongU(side) ? Vec2(s, atLast(side) ? 1 : 0) : Vec2(atLast(side) ? 1 : 0, s);
  }
  static double twist(const NeighbourPlace& p, const Vec3& x, const Vec3& y) {
    return 0.25 * (bend(p, x + y) - bend(p, x - y));
  }

protected:
  PatchSides(const std::array<PatchSide, 4>& sides, const PatchFitOptions& o, const Context& cx)
      : sides_(sides), o_(o), cx_(cx) {}

  bool bare(int side) const { return sides_[size_t(side)].path == nullptr; }
  bool isPole(int side) const { return bare(side) && !sides_[size_t(side)].free; }
  int askedOrder(int side) const { return orderOf(sides_[size_t(side)].meets); }
  int order(int side) const { return std::min(askedOrder(side), mostOrder_); } ///< as it is tried
  int highestOrder() const { return std::max({order(0), order(1), order(2), order(3)}); }
  bool atPlane(int side) const { return atMirror(sides_[size_t(side)].meets); }
  /// Place and derivatives by arc length of a side; of poles only the place.
  CurveDerivatives onSide(int side, double s) const;
  Vec3 end(int side, int e) const {
    const PatchSide& p = sides_[size_t(side)];
    return p.reversed == (e == 0) ? p.path->end() : p.path->start();
  }
  void findSizes();
  /// The neighbour at a place of a side; at a mirror plane the plane square to it.
  Expected<NeighbourPlace> beside(int side, const CurveDerivatives& d) const;
  static double cornerOn(int side, int corner) { // s of the side there
    static constexpr double at[4][4] = {{0, 1, -1, -1}, {-1, 0, 1, -1}, {-1, -1, 1, 0}, {0, -1, -1, 1}};
    return at[side][corner];
  }
  /// In a pole the patch has one tangent plane, and one bending: the neighbours', or the one of the two sides that end
  /// there.
  Expected<void> lookAtPole(int pole);
  /// Whether all curves inside that end in a pole do so in its tangent plane: else it is a pointed one.
  bool guidesLeave(const Vec3& pole, const Vec3& normal) const;
  Expected<void> lookAtCorners();
  double apart(double x, double y) const { return std::abs(x - y) / std::max({std::abs(x), std::abs(y), flat_}); }
  static double bend(const NeighbourPlace& p, const Vec3& w) { return heightsAlong(p.d, p.normal, w, Vec3::Zero())[0]; }
  static double largest(const NeighbourPlace& p, const std::array<CurveDerivatives, 2>& c) {
    return std::max(std::abs(bend(p, c[0][1])), std::abs(bend(p, c[1][1])));
  }

  struct Pole {
    NeighbourPlace place;
    int order = 0;
  };

  const std::array<PatchSide, 4>& sides_;
  const PatchFitOptions& o_;
  const Context& cx_;
  int mostOrder_ = 3; ///< higher ones are given up
  std::array<double, 4> length_{};
  double ring_ = 0, flat_ = 1e-3, sizeU_ = 1, sizeV_ = 1;
  std::vector<PatchCorner> corners_, poleCorners_; ///< the latter only told
  std::array<Pole, 4> poles_;
};

} // namespace lumsk::nurbs
