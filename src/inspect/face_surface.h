#pragma once
#include "brep/body.h"

#include <memory>
#include <optional>

class BRepAdaptor_Surface;

namespace lumsk::inspect {

/// A place of a face with its outward normal and how it bends there.
struct PlaceOnFace {
  Vec3 point = Vec3::Zero(), normal = Vec3::Zero(); ///< mm, unit; the normal is zero where there is none
  /// Principal curvatures, 1/mm, largest first; positive where the face bulges outwards, negative where it is hollow.
  double largest = 0.0, smallest = 0.0;
  double mean() const { return 0.5 * (largest + smallest); }
  double gauss() const { return largest * smallest; }
  double smallestRadiusMm() const; ///< of the tighter of both; 1e300 where it is flat
};

/// The surface of one face of a body, whole splines and all other kinds alike. Places are parameters of its surface.
/// For use by one thread; the body must outlive it.
class FaceSurface {
public:
  FaceSurface(const brep::Body& b, int face);
  ~FaceSurface();
  FaceSurface(FaceSurface&&) noexcept;

  nurbs::FirstDerivatives first(const Vec2& uv) const;
  PlaceOnFace at(const Vec2& uv) const;
  Vec3 outward(const Vec2& uv) const;
  /// Curvature towards the outward normal of the normal section along a direction, 1/mm; 0 where there is no normal.
  double normalCurvature(const Vec2& uv, const Vec3& direction) const;

  /// Where a line meets the surface, from a first guess, by Newton steps: the place and the distance along the unit
  /// direction. Nothing when it passes the surface, its border included, farther away than `missMm`.
  struct Meeting {
    Vec2 uv;
    double alongMm;
  };
  std::optional<Meeting> meet(const Vec3& from, const Vec3& unit, const Vec2& guess, double missMm = 1e-6) const;
  /// The nearest place from a first guess, by Gauss-Newton steps within the domain.
  Vec2 nearest(const Vec3& p, const Vec2& guess) const;

private:
  Vec2 held(Vec2 uv) const;
  void derivatives(const Vec2& uv, nurbs::SurfaceDerivatives& d) const; ///< to order 2
  std::shared_ptr<const nurbs::Surface> spline_;
  std::unique_ptr<BRepAdaptor_Surface> other_;
  bool reversed_ = false;
  Vec2 low_, high_;
  std::array<bool, 2> closed_{};
};

} // namespace lumsk::inspect
