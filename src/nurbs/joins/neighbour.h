#pragma once
#include "base/tolerances.h"
#include "nurbs/core/surface.h"

#include <functional>
#include <optional>

namespace lumsk::nurbs {

// What a skin continues where it joins another one.

/// A surface where it is nearest to a point.
struct NeighbourPlace {
  SurfaceDerivatives d; ///< to third order
  Vec3 normal = Vec3::Zero();
  double distanceMm = 0.0;
  std::size_t cell = 0; ///< tells the polynomial piece that the place lies in from the others
  int smooth = 99;      ///< derivatives that agree between pieces, at least
};
/// The neighbour of a skin; nothing where it has no place with a normal.
using Neighbour = std::function<std::optional<NeighbourPlace>(const Vec3&)>;

/// Curvature towards the normal of the normal section of a surface, 1/mm, and its rate along it, 1/mm^2.
struct NormalSection {
  double curvature = 0.0, rate = 0.0;
};
/// In a unit direction of the tangent plane, from derivatives to third order: the section as heights over that plane.
NormalSection normalSection(const SurfaceDerivatives& d, const Vec3& normal, const Vec3& direction);

/// Derivatives of first to third order of a curve that leaves a place along a unit direction and bends as a normal
/// section does, passing `mm` in a unit of its parameter. A skin all of whose curves do so along an edge meets the
/// neighbour with G3, for the section lies in the neighbour.
std::array<Vec3, 3> continuing(const NormalSection& section, const Vec3& normal, const Vec3& direction, double mm);

/// Second and third derivative, along the normal, of a curve that lies in a surface, from the first and second one
/// within the tangent plane: how a skin whose curves leave the edge so has to bend to meet the neighbour with G2 and
/// G3.
std::array<double, 2> heightsAlong(const SurfaceDerivatives& d, const Vec3& normal, const Vec3& first,
                                   const Vec3& second);

/// Worst join of a skin with what it flows into or leans by.
struct SkinJoin {
  double angleDeg = 0.0, curvature = 0.0, rate = 0.0; ///< the latter relative, with floors of 1/(10 L) and its square
  Vec3 at = Vec3::Zero();                             ///< where it is worst
  void take(const SkinJoin& o, const Tolerances& tol) {
    if (o.worst(tol) >= worst(tol)) at = o.at;
    angleDeg = std::max(angleDeg, o.angleDeg), curvature = std::max(curvature, o.curvature);
    rate = std::max(rate, o.rate);
  }
  /// In parts of what is allowed.
  double worst(const Tolerances& tol) const {
    return std::max({angleDeg / tol.angle.deg, curvature / tol.curvature.relative, rate / kRateAllowed});
  }
  static constexpr double kRateAllowed = 0.05;
};

/// How a skin with these derivatives meets its neighbour across a direction along their edge, to an order; curvatures are
/// compared with a floor of `flat`, 1/mm.
SkinJoin joinWith(const NeighbourPlace& neighbour, int order, const SurfaceDerivatives& d, const Vec3& along,
                  double flat);
/// The same where the skin is; without a neighbour there they stand square to one another.
SkinJoin joinWith(const Neighbour& neighbour, int order, const SurfaceDerivatives& d, const Vec3& along, double flat);

/// The same at a mirror plane: how far it is from square, and from order 3 on the kink of its curvature, as a rate of
/// which `kFlatKink` is what is allowed.
SkinJoin joinWithPlane(const Vec3& normal, int order, const SurfaceDerivatives& d, const Vec3& along, double flat);

/// The neighbour at a place that lies on it, ten times `point` near. Fails with LM-L013: `who` does not, `remedy`.
Expected<NeighbourPlace> placeOn(const Neighbour& neighbour, const Vec3& at, LengthTolerance point,
                                 const std::string& who, const std::string& remedy);

} // namespace lumsk::nurbs
