#include "nurbs/loft/loft_centre.h"

#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_refit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 48;          ///< places of a section that say where its middle is

Vec3 middleOf(const Section& section, const ArcLength& l) {
  if (const Vec3* point = section.point()) return *point;
  const Path& path = *section.path();
  Vec3 sum = Vec3::Zero();
  for (int k = 0; k < kLooks; ++k) sum += path.at(l.parameterAtFraction((k + 0.5) / kLooks));
  return sum / kLooks;
}

} // namespace

Expected<Path> roundedLine(const Path& line, LengthTolerance within, const Context& cx) {
  constexpr int kLineDegree = 5; // frames are carried along it
  LUMSK_TRY(round, refitted(line, {kLineDegree, 0, within, false, true}, cx));
  return std::move(round.path);
}

LengthTolerance roomyDistance(const Path& line, const std::vector<Section>& sections, const Context& cx) {
  constexpr double kRoom = 1.2, kFirst = 0.05, kMore = 1.5;
  constexpr int kTries = 16, kLineLooks = 400, kReachLooks = 16;
  double reach = 0; // of half a section from its middle, at most
  for (const Section& s : sections)
    if (const Path* p = s.path())
      for (int i = 1; i <= kReachLooks; ++i)
        reach = std::max(reach, 0.5 * (p->at(p->last() * i / kReachLooks) - p->start()).norm());
  double within = std::max(kFirst * reach, 10 * cx.tolerances.fit.mm);
  for (int i = 0; i < kTries; ++i, within *= kMore) {
    const auto round = roundedLine(line, {within}, cx);
    if (!round) continue;
    double most = 0; // curvature
    for (int k = 0; k < kLineLooks; ++k) {
      CurveDerivatives d;
      round->derivatives(round->last() * (k + 0.5) / kLineLooks, 2, d);
      most = std::max(most, d[1].cross(d[2]).norm() / std::pow(d[1].norm(), 3));
    }
    if (most * kRoom * reach <= 1) break;
  }
  return {within};
}

std::vector<int> orderAlong(const std::vector<Section>& sections, const Path& line, bool around) {
  const ArcLength length(line);
  std::vector<double> f;
  std::vector<int> order;
  for (const Section& s : sections) {
    const Vec3 middle = s.point() ? *s.point() : middleOf(s, ArcLength(*s.path()));
    f.push_back(length.fractionAt(closestPoint(line, middle).t));
    order.push_back(int(order.size()));
  }
  if (around)
    for (size_t i = f.size(); i-- > 0;) f[i] -= f[0] + std::floor(f[i] - f[0]);
  int ups = 0; // pairs in the line's sense, less the others
  for (size_t i = around ? 1 : 0; i < f.size(); ++i)
    for (size_t j = i + 1; j < f.size(); ++j) ups += f[j] > f[i] ? 1 : f[j] < f[i] ? -1 : 0;
  const double sense = ups < 0 ? -1 : 1;
  std::stable_sort(order.begin() + (around ? 1 : 0), order.end(),
                   [&](int a, int b) { return sense * f[size_t(a)] < sense * f[size_t(b)]; });
  return order;
}

Expected<std::shared_ptr<Carrier>> LoftCentre::of(const LoftPlaces& places, const LoftOptions& o, const Context& cx) {
  auto made = std::make_shared<LoftCentre>();
  LoftCentre& c = *made;
  const int n = places.count();
  Points middles(n, 3);
  for (int i = 0; i < n; ++i) middles.row(i) = middleOf(places.sections[size_t(i)], places.lengths[size_t(i)]).transpose();
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
    return fail(
        problem("LM-L032", o.around ? "the centre line is open, and the loft runs around" : "the centre line is closed")
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
  return std::shared_ptr<Carrier>(std::move(made));
}

Carried LoftCentre::on(double v) const {
  double f = from_ + v * (to_ - from_);
  if (reversed_) f = 1 - f;
  f -= f > 1 || f < 0 ? std::floor(f) : 0.0;
  Frame out = frames_->at(std::clamp(f, 0.0, 1.0));
  const double turn = missing_ * f;
  const Vec3 x = out.x, y = out.y;
  out.x = std::cos(turn) * x + std::sin(turn) * y;
  out.y = std::cos(turn) * y - std::sin(turn) * x;
  return Carried::from(out);
}

std::vector<Carrier::Rough> LoftCentre::rough() const {
  std::vector<Rough> out;
  for (const RoughPlace& r : roughPlaces(*line_)) {
    const double f = reversed_ ? 1 - r.fraction : r.fraction;
    double at = (f - from_) / (to_ - from_);
    if (line_->closed()) at -= std::floor(at);
    if (at > 0 && at < 1) out.push_back({at, r.smooth});
  }
  return out;
}

} // namespace lumsk::nurbs
