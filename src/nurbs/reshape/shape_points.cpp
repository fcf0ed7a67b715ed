#include "nurbs/reshape/shape_points.h"

#include "nurbs/joins/side_conditions.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kImageShare = 0.02; ///< of the curve's size: a point that near to another's image mirrors it

int imageOf(const std::vector<Vec3>& points, int k, const Frame& plane) {
  const Vec3 m = mirroredPoint(points[size_t(k)], plane);
  Vec3 low = m, high = m;
  int best = 0;
  for (int i = 0; i < int(points.size()); ++i) {
    low = low.cwiseMin(points[size_t(i)]), high = high.cwiseMax(points[size_t(i)]);
    if ((points[size_t(i)] - m).norm() < (points[size_t(best)] - m).norm()) best = i;
  }
  return (points[size_t(best)] - m).norm() < kImageShare * (high - low).norm() ? best : -1;
}

PointFrame frameAt(const Spline& s, int i) {
  CurveDerivatives d;
  s.derivatives(greville(s.knots(), s.degree())[size_t(i)], 2, d);
  const Vec3 t = d[1].normalized(), bend = d[2] - d[2].dot(t) * t;
  // Where the curve is straight it has no normal of its own.
  const Vec3 n = curvature(d) * d[1].norm() > 1e-9 ? Vec3(bend.normalized()) : Frame::fromNormal(d[0], t).y;
  return {t, n, t.cross(n)};
}

std::vector<Vec3> openedJoints(const Path& before, const Path& after, const Tolerances& tol) {
  std::vector<Vec3> out;
  const auto was = before.corners(tol.angle);
  for (double t : after.corners(tol.angle))
    if (std::find(was.begin(), was.end(), t) == was.end()) out.push_back(after.at(t));
  return out;
}

} // namespace

Expected<PointNet> pointNet(const Path& base, const Context& cx) {
  PointNet net;
  for (const Segment& s : base.segments()) {
    LUMSK_TRY(c, asSpline(s, cx));
    net.splines.push_back(std::move(c));
  }
  for (int p = 0; p < int(net.splines.size()); ++p) {
    net.firstOf.push_back(p == 0 ? 0 : int(net.points.size()) - 1);
    for (int i = p == 0 ? 0 : 1; i < net.splines[size_t(p)].size(); ++i) {
      net.points.push_back(net.splines[size_t(p)].points().row(i).transpose());
      net.where.push_back({p, i});
    }
  }
  if (base.closed()) net.points.pop_back(), net.where.pop_back();
  return net;
}

Expected<int> shapePointCount(const Path& base, const Context& cx) {
  LUMSK_TRY(net, pointNet(base, cx));
  return int(net.points.size());
}

Expected<ShapedCurve> shaped(const Path& base, const std::vector<PointMove>& moves, const ShapeOptions& o,
                             const Context& cx) {
  LUMSK_TRY(net, pointNet(base, cx));
  const int n = int(net.points.size());
  std::vector<Vec3> by(size_t(n), Vec3::Zero());
  // Round a closed curve the two sides must not meet.
  const int reach = base.closed() ? std::min(o.falloff, (n - 1) / 2) : o.falloff;
  const auto add = [&](int k, const Vec3& move) {
    for (int i = -reach; i <= reach; ++i) {
      const int at = base.closed() ? ((k + i) % n + n) % n : k + i;
      if (at < 0 || at >= n) continue;
      const double f = std::abs(i) / double(reach + 1);
      by[size_t(at)] += (1 - f * f) * (1 - f * f) * move;
    }
  };
  ShapedCurve out;
  for (const PointMove& m : moves) {
    if (m.point < 0 || m.point >= n) {
      out.lost.push_back(m.point);
      continue;
    }
    add(m.point, m.by);
    if (!o.mirror) continue;
    const int image = imageOf(net.points, m.point, *o.mirror);
    if (image < 0) out.unmirrored.push_back(m.point);
    if (image >= 0 && image != m.point) add(image, m.by - 2 * m.by.dot(o.mirror->normal()) * o.mirror->normal());
  }
  std::vector<Segment> segments;
  for (size_t p = 0; p < net.splines.size(); ++p) {
    const Spline& s = net.splines[p];
    Points P = s.points();
    std::vector<Vec3> polygon;
    for (Eigen::Index i = 0; i < P.rows(); ++i) {
      P.row(i) += by[size_t(net.numberOf(int(p), int(i)))].transpose();
      polygon.push_back(P.row(i).transpose());
    }
    out.polygons.push_back(std::move(polygon));
    segments.push_back(Spline::trusted(s.degree(), s.knots(), std::move(P), s.closed()));
  }
  LUMSK_TRY(path, Path::make(std::move(segments), {2 * cx.tolerances.point.mm}));
  out.path = std::move(path);
  out.opened = openedJoints(base, out.path, cx.tolerances);
  for (int k = 0; k < n; ++k) {
    out.points.push_back(net.points[size_t(k)] + by[size_t(k)]);
    out.frames.push_back(frameAt(net.splines[size_t(net.where[size_t(k)].first)], net.where[size_t(k)].second));
    out.movedMm = std::max(out.movedMm, by[size_t(k)].norm());
  }
  return out;
}

} // namespace lumsk::nurbs
