#pragma once
#include "brep/body.h"

#include <BRepAdaptor_Surface.hxx>

namespace lumsk::inspect {

/// A surface at one place, with derivatives to order 3 and its normal section in a direction.
class LocalSurface {
public:
  LocalSurface(const BRepAdaptor_Surface& s, double u, double v);

  bool regular() const { return regular_; } ///< has a normal
  const Vec3& point() const { return p_; }
  const Vec3& normal() const { return n_; } ///< S_u x S_v, unit
  Vec3 along(double du, double dv) const { return du * u_ + dv * v_; }

  /// Curvature of the normal section along `direction` (brought into the tangent plane), towards the normal; and its
  /// derivative with respect to arc length: the third derivative of the section's height over the tangent plane.
  struct Section {
    double curvature = 0.0, rate = 0.0;
  };
  Section section(const Vec3& direction) const;

private:
  Vec3 p_, n_ = Vec3::Zero(), u_, v_, uu_, vv_, uv_, uuu_, vvv_, uuv_, uvv_;
  bool regular_ = false;
};

} // namespace lumsk::inspect
