#pragma once
#include "nurbs/core/path.h"
#include "nurbs/fit/interpolate.h"

namespace lumsk::test {

/// A smooth curve through places.
inline nurbs::Path curveThrough(const std::vector<Vec3>& pts, bool closed = false) {
  Points p(Eigen::Index(pts.size()), 3);
  for (size_t i = 0; i < pts.size(); ++i) p.row(Eigen::Index(i)) = pts[i].transpose();
  nurbs::InterpolationOptions o;
  o.closed = closed;
  return *nurbs::Path::make({*nurbs::interpolate(p, o)}, {1e-3});
}

/// A rail of 345 mm, with torsion and inflections.
inline nurbs::Path spaceCurve() {
  return curveThrough({{0, 0, 0}, {40, 25, 5}, {80, -5, 30}, {120, -30, 20}, {160, 10, -5}, {200, 35, 25}, {240, 0, 40}});
}

/// Where a profile of it stands at its start.
inline Frame squareTo(const nurbs::Path& rail) {
  nurbs::CurveDerivatives d;
  rail.derivatives(0, 1, d);
  return Frame::fromNormal(d[0], d[1]);
}

} // namespace lumsk::test
