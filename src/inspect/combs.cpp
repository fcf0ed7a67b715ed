#include "inspect/combs.h"

namespace lumsk::inspect {

namespace {
constexpr double kFlatCurvature = 1e-6; ///< changes below this fraction are rounding
} // namespace

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
      // The tooth before is an extreme when its two neighbours are both lower or both higher than it.
      if (const size_t m = c.curvature.size(); k >= 2 && m >= 3) {
        const double a = c.curvature[m - 3], b = c.curvature[m - 2], eps = kFlatCurvature * std::max(a, kappa);
        if ((b - a > eps && b - kappa > eps) || (a - b > eps && kappa - b > eps)) c.extremes.push_back(c.base[m - 2]);
      }
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
