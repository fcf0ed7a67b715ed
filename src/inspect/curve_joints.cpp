#include "inspect/curve_joints.h"

#include "nurbs/curves/blend_curve.h"

#include <algorithm>
#include <cmath>

namespace lumsk::inspect {

namespace {

using nurbs::BlendEnd;

/// The curve just before or just after a parameter, in its direction.
std::optional<BlendEnd> sideOf(const nurbs::Path& p, double t, bool before) {
  nurbs::CurveDerivatives d;
  p.derivatives(before ? std::nextafter(t, 0.0) : t, 3, d);
  return nurbs::blendEnd(d, false);
}

BlendEnd turned(BlendEnd e) {
  e.tangent = -e.tangent;
  e.third = -e.third;
  return e;
}

double diagonal(const nurbs::Path& p) {
  const Points pts = nurbs::polyline(p, 4);
  return (pts.colwise().maxCoeff() - pts.colwise().minCoeff()).norm();
}

/// The first arrives, the second goes on.
CurveJoint measured(const BlendEnd& a, const BlendEnd& b, double size, const Tolerances& tol) {
  CurveJoint j;
  j.at = 0.5 * (a.at + b.at);
  j.gapAt = j.angleAt = j.curvatureAt = j.rateAt = j.at;
  j.gapMm = (a.at - b.at).norm();
  j.angleDeg = degFromRad(angleBetweenRad(a.tangent, b.tangent));
  const double floor = 1 / (10 * size);
  j.curvatureRel = (a.second - b.second).norm() / std::max({a.second.norm(), b.second.norm(), floor});
  // Across the tangent: along it the third derivative is the square of the curvature.
  const auto rate = [](const BlendEnd& e) { return Vec3(e.third - e.third.dot(e.tangent) * e.tangent); };
  j.rateRel = (rate(a) - rate(b)).norm() / std::max({rate(a).norm(), rate(b).norm(), floor * floor});
  j.meantSmooth = j.angleDeg < tol.smoothEdge.deg;
  return j;
}

} // namespace

std::vector<CurveJoint> curveJoints(const std::vector<const nurbs::Path*>& paths, double nearMm,
                                    const Tolerances& tol) {
  std::vector<CurveJoint> out;
  struct End {
    int curve;
    BlendEnd leaving; ///< out of the path
  };
  std::vector<End> ends;
  std::vector<double> sizes;
  for (int i = 0; i < int(paths.size()); ++i) {
    const nurbs::Path& p = *paths[size_t(i)];
    sizes.push_back(diagonal(p));
    const int n = int(p.segments().size());
    for (int k = p.closed() ? 0 : 1; k < n; ++k) {
      const auto a = sideOf(p, k == 0 ? n : k, true), b = sideOf(p, k, false);
      if (!a || !b) continue;
      CurveJoint j = measured(*a, *b, sizes.back(), tol);
      j.edge = std::to_string(k == 0 ? n : k);
      j.curve = j.other = i;
      out.push_back(std::move(j));
    }
    if (p.closed()) continue;
    if (const auto s = sideOf(p, 0.0, false)) ends.push_back({i, turned(*s)});
    if (const auto e = sideOf(p, n, true)) ends.push_back({i, *e});
  }
  for (size_t x = 0; x < ends.size(); ++x)
    for (size_t y = x + 1; y < ends.size(); ++y) {
      if (ends[x].curve == ends[y].curve || (ends[x].leaving.at - ends[y].leaving.at).norm() > nearMm) continue;
      CurveJoint j = measured(ends[x].leaving, turned(ends[y].leaving),
                              std::max(sizes[size_t(ends[x].curve)], sizes[size_t(ends[y].curve)]), tol);
      j.curve = ends[x].curve, j.other = ends[y].curve;
      out.push_back(std::move(j));
    }
  return out;
}

} // namespace lumsk::inspect
