#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/core/path.h"

#include <optional>

namespace lumsk::inspect {

/// Something that is measured: a point, a curve, a plane without end, a body or one of its faces.
struct Thing {
  std::optional<Vec3> point;
  std::shared_ptr<const nurbs::Path> curve;
  std::optional<Frame> plane;
  brep::BodyPtr body;
  int face = -1; ///< of the body; -1: all of it
};

struct Nearness {
  double mm = 0.0;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero(); ///< the places where the things come nearest
};
/// Smallest distance between two things, 0 where they touch, cross or one solid lies in the other. Fails with LM-K001.
Expected<Nearness> distanceBetween(const Thing& a, const Thing& b, const Context& cx);

/// Angle in [0, 90] degrees between straight curves, planes and flat faces; of a curve and a flat thing, the angle that
/// the curve makes with the flat thing. Fails with LM-Q012 for what is neither straight nor flat within the tolerances.
Expected<double> angleBetween(const Thing& a, const Thing& b, const Tolerances& tol);

struct Radius {
  double mm = 0.0;
  bool tightest = false; ///< the thing has several radii: this is the smallest
  Vec3 at = Vec3::Zero();
};
/// Of a circle, of the tightest bend of another curve, of a face's tightest principal curvature. Fails with LM-Q013 for
/// what does not bend.
Expected<Radius> radiusOf(const Thing& t);

double lengthOf(const nurbs::Path& curve); ///< mm
/// mm2; 0 for what has none.
Expected<double> areaOf(const Thing& t);
/// mm3, of solids.
Expected<double> volumeOf(const brep::Body& solid);
/// Of a solid's volume or a skin's area.
Expected<Vec3> centreOf(const brep::Body& b);

} // namespace lumsk::inspect
