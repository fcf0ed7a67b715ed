#include "nurbs/loft_centre.h"

#include "nurbs/closest.h"
#include "nurbs/interpolate.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 48;         ///< places of a section that say where its middle is
constexpr double kNear = 1e-4;     ///< of the line: for differences

Vec3 middleOf(const LoftPlaces& p, int i) {
  if (const Vec3* point = p.sections[size_t(i)].point()) return *point;
  const Path& path = *p.sections[size_t(i)].path();
  const ArcLength& l = p.lengths[size_t(i)];
  Vec3 sum = Vec3::Zero();
  for (int k = 0; k < kLooks; ++k) sum += path.at(l.parameterAtFraction((k + 0.5) / kLooks));
  return sum / kLooks;
}

} // namespace

Expected<LoftCentre> LoftCentre::of(const LoftPlaces& places, const LoftOptions& o, const Context& cx) {
  LoftCentre c;
  const int n = places.count();
  Points middles(n, 3);
  for (int i = 0; i < n; ++i) middles.row(i) = middleOf(places, i).transpose();
  if (o.centre == LoftOptions::Centre::Given && o.centreLine) {
    c.line_ = std::make_shared<const Path>(*o.centreLine);
  } else {
    InterpolationOptions through;
    through.closed = o.around;
    LUMSK_TRY(spline, interpolate(middles, through));
    LUMSK_TRY(path, Path::make({std::move(spline)}, cx.tolerances.point));
    c.line_ = std::make_shared<const Path>(std::move(path));
  }
  if (c.line_->closed() != o.around)
    return fail(problem("LM-L032", o.around ? "the centre line is open, and the loft runs around"
                                            : "the centre line is closed")
                    .at(c.line_->start())
                    .tryThis("take another centre line, or let it be computed"));
  c.frames_ = std::make_shared<const LeastTwist>(*c.line_);
  const ArcLength length(*c.line_);
  std::vector<double> f;
  for (int i = 0; i < n; ++i) f.push_back(length.fractionAt(closestPoint(*c.line_, middles.row(i).transpose()).t));
  if (o.around) {
    int falls = 0;
    for (int i = 0; i < n; ++i) falls += f[size_t((i + 1) % n)] < f[size_t(i)];
    c.reversed_ = falls > 1;
  } else {
    c.reversed_ = f.back() < f.front();
  }
  if (c.reversed_)
    for (double& x : f) x = 1 - x;
  if (o.around) {
    for (int i = 1; i < n; ++i)
      if (f[size_t(i)] < f[0]) f[size_t(i)] += 1;
    f.push_back(f[0] + 1);
  }
  c.from_ = f.front();
  c.to_ = f.back();
  for (size_t i = 1; i < f.size(); ++i)
    if (!(f[i] > f[i - 1] + 1e-6))
      return fail(problem("LM-L032", "the centre line does not pass sections " + std::to_string(i) + " and " +
                                         std::to_string(i + 1) + " in this order")
                      .at(middles.row(Eigen::Index(i - 1)).transpose())
                      .at(middles.row(Eigen::Index(i % size_t(n))).transpose())
                      .tryThis("change the order of the sections, or take another centre line"));
  for (double x : f) c.at_.push_back((x - c.from_) / (c.to_ - c.from_));
  c.at_.front() = 0, c.at_.back() = 1;
  if (o.around) {
    const Frame a = c.frames_->at(0.0), b = c.frames_->at(1.0);
    c.missing_ = std::atan2(b.x.cross(a.x).dot(a.normal()), b.x.dot(a.x));
  }
  return c;
}

Frame LoftCentre::frame(double v) const {
  double f = from_ + v * (to_ - from_);
  if (reversed_) f = 1 - f;
  f -= f > 1 || f < 0 ? std::floor(f) : 0.0;
  Frame out = frames_->at(std::clamp(f, 0.0, 1.0));
  const double turn = missing_ * f;
  const Vec3 x = out.x, y = out.y;
  out.x = std::cos(turn) * x + std::sin(turn) * y;
  out.y = std::cos(turn) * y - std::sin(turn) * x;
  return out;
}

Vec2 LoftCentre::curvature(double v) const {
  const double a = std::max(0.0, v - kNear), b = std::min(1.0, v + kNear);
  const Frame low = frame(a), high = frame(b), here = frame(v);
  const Vec3 turn = (high.normal() - low.normal()) * (reversed_ ? -1.0 : 1.0); // normals do not turn over
  const double way = (high.origin - low.origin).norm();
  return way > 0 ? Vec2(turn.dot(here.x) / way, turn.dot(here.y) / way) : Vec2(Vec2::Zero());
}

} // namespace lumsk::nurbs
