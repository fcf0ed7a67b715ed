#pragma once
#include "base/context.h"
#include "nurbs/core/path.h"
#include "nurbs/core/surface.h"

#include <functional>
#include <optional>

namespace lumsk::nurbs {

/// How something goes from one value to another across a strip: as straight as a ramp, or without a kink in slope, or
/// in slope and curvature at either side: Hermite's polynomials of degree 3 and 7. The latter's third derivative is nought
/// there, too, so that a border that is a little off its line, as fitted curves are, changes no curvature.
enum class Transition { Straight, Tangent, Curvature };
/// From 0 to 1 for s over [0, 1]; beyond, what the same polynomial says.
double shareAcross(Transition kind, double s);

/// A strip of a skin along a curve that lies on it. A place of it is known by where on the curve it lies and by how far
/// it is aside, measured in the plane that touches the skin at the curve, square to the curve; to the left, seen from the
/// outside, is above nought. So a place on the edge of two faces is the same place for both.
class SkinStrip {
public:
  struct Place {
    double t = 0;    ///< share of the curve's length; of open ones also beyond 0 and 1
    double asideMm = 0;
  };
  /// `normalAt`: the outside normal of the skin at a place of the curve. Fails with LM-T010 where there is none, or
  /// the curve has a corner.
  static Expected<SkinStrip> along(const Path& curve, double widthMm, const std::function<std::optional<Vec3>(const Vec3&)>& normalAt,
                                   const Context& cx);

  bool closed() const { return closed_; }
  double lengthMm() const { return lengthMm_; }
  double widthMm() const { return widthMm_; }
  Vec3 at(double t) const;
  Vec3 straightAt(const Place& p) const; ///< in the touching plane, straight on beyond open ends
  Vec3 left(double t) const; ///< unit: to the left, in the touching plane
  Vec3 normal(double t) const;
  /// The place square to which a point lies; the nearest such.
  Place placeOf(const Vec3& p) const;
  /// Where a surface has a place of the strip, from a start; nothing where it has none near. Of surfaces closed in u also
  /// beyond their domain, round and round (`roundU`).
  std::optional<Vec2> on(const Surface& s, const Place& place, Vec2 near) const;

  /// Where the curve bends so much to one side that the strip folds, or comes so near itself that the strip meets itself: the
  /// width that fits, mm, and the place. Nothing where it is well.
  struct Fold {
    double fitsMm = 0;
    Vec3 at = Vec3::Zero();
  };
  std::optional<Fold> folds() const;

private:
  SkinStrip() = default;
  double inside(double t) const; ///< of closed ones: within 0 and 1
  Spline curve_, normals_;       ///< over [0, 1]
  std::vector<Vec3> samples_;
  double lengthMm_ = 0, widthMm_ = 0;
  bool closed_ = false;
};

/// The same u within the domain of a surface that is closed in u; of others as it is.
double roundU(const Surface& s, double u);

} // namespace lumsk::nurbs
