#include "inspect/combs.h"

namespace lumsk::inspect {

Comb comb(const nurbs::Path& path, int perSpan, double scale) {
  Comb c;
  Vec3 before = Vec3::Zero();
  bool has = false;
  for (size_t i = 0; i < path.segments().size(); ++i) {
    const auto* spline = std::get_if<nurbs::Spline>(&path.segments()[i]);
    if (std::holds_alternative<nurbs::LineSegment>(path.segments()[i])) {
      has = false;
      continue;
    }
    const int n = perSpan * (spline ? spline->spans() : 4);
    for (int k = 0; k <= n; ++k) {
      nurbs::CurveDerivatives d;
      const double t = double(i) + (k == n ? 1.0 - 1e-12 : double(k) / n);
      path.derivatives(t, 2, d);
      const double speed = d[1].norm();
      if (!(speed > 0)) continue;
      const Vec3 along = d[1] / speed;
      const Vec3 bend = (d[2] - d[2].dot(along) * along) / (speed * speed);
      const double kappa = bend.norm();
      c.base.push_back(d[0]);
      c.tip.push_back(d[0] - scale * bend);
      c.curvature.push_back(kappa);
      if (kappa > c.largest) c.largest = kappa, c.largestAt = d[0];
      // The sense of turning flips where the binormals oppose.
      const Vec3 binormal = d[1].cross(d[2]);
      if (has && binormal.dot(before) < 0) c.inflections.push_back(d[0]);
      if (binormal.norm() > 0) before = binormal, has = true;
    }
  }
  if (c.largest > 0) c.smallestRadiusMm = 1.0 / c.largest;
  return c;
}

} // namespace lumsk::inspect
