#include "nurbs/measure/least_twist.h"

#include <algorithm>

namespace lumsk::nurbs {

LeastTwist::LeastTwist(const Path& path, const Vec3& start, int perSegment) : path_(path), length_(path) {
  for (size_t i = 0; i < path.segments().size(); ++i) {
    std::vector<double> breaks{0.0, 1.0};
    if (const auto* c = std::get_if<Spline>(&path.segments()[i])) {
      breaks = breakpoints(c->knots(), c->degree());
      for (double& b : breaks) b = (b - c->first()) / (c->last() - c->first());
    }
    for (size_t k = 0; k + 1 < breaks.size(); ++k) {
      const int per = std::max(24, perSegment / int(breaks.size() - 1));
      for (int j = 0; j < per; ++j) t_.push_back(double(i) + breaks[k] + (breaks[k + 1] - breaks[k]) * j / per);
    }
  }
  t_.push_back(path.last());
  const Vec3 d = tangent(0.0);
  Frame f = Frame::fromNormal(path.start(), d);
  if (const Vec3 x = start - start.dot(d) * d; x.norm() > 1e-9 * start.norm()) {
    f.x = x.normalized();
    f.y = d.cross(f.x);
  }
  frames_.push_back(f);
  for (size_t k = 1; k < t_.size(); ++k) frames_.push_back(carried(frames_.back(), path.at(t_[k]), tangent(t_[k])));
}

Vec3 LeastTwist::tangent(double t) const {
  if (t >= path_.last()) return path_.tangentBefore(path_.last()).normalized();
  CurveDerivatives d;
  path_.derivatives(t, 1, d);
  return d[1].normalized();
}

Frame LeastTwist::carried(const Frame& from, const Vec3& to, const Vec3& tangent) const {
  const Vec3 v1 = to - from.origin;
  const double c1 = v1.squaredNorm();
  if (!(c1 > 0)) return from;
  const Vec3 x = from.x - 2 / c1 * v1.dot(from.x) * v1, t = from.normal() - 2 / c1 * v1.dot(from.normal()) * v1;
  const Vec3 v2 = tangent - t;
  const double c2 = v2.squaredNorm();
  Vec3 r = c2 > 0 ? Vec3(x - 2 / c2 * v2.dot(x) * v2) : x;
  r = (r - r.dot(tangent) * tangent).normalized();
  return {to, r, tangent.cross(r)};
}

Frame LeastTwist::atParameter(double at) const {
  const double t = std::clamp(at, 0.0, path_.last());
  const auto it = std::upper_bound(t_.begin(), t_.end(), t);
  const size_t k = size_t(std::max<std::ptrdiff_t>(0, it - t_.begin() - 1));
  return carried(frames_[k], path_.at(t), tangent(t));
}

} // namespace lumsk::nurbs
