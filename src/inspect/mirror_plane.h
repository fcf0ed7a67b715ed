#pragma once
#include "brep/body.h"

namespace lumsk::inspect {

/// How a face meets a mirror plane along an edge that lies in it, worst of many places, evaluated on the face's own
/// surface through its own parameter curve.
struct PlaneEdge {
  std::string edge;      ///< name
  double offMm = 0.0;    ///< distance from the plane
  double angleDeg = 0.0; ///< between the face and the plane's normal: 0 when it leaves squarely
  double curvatureRate =
      0.0; ///< |dk/ds| L^2, k the normal curvature across the plane, L the diagonal of the body's box
  Vec3 offAt = Vec3::Zero(), angleAt = Vec3::Zero(), rateAt = Vec3::Zero();
};

/// All edges of one face alone that lie within `nearMm` of the plane.
std::vector<PlaneEdge> atPlane(const brep::Body& b, const Frame& plane, double nearMm);

} // namespace lumsk::inspect
