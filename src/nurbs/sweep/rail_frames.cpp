#include "nurbs/sweep/rail_frames.h"

#include "nurbs/fit/interpolate.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kFrameLooks = 256;           ///< along a rail, for what cannot be
constexpr double kLeastSine = 0.02;   ///< between a rail and a direction that it must not run along
constexpr int kSpansPerTurn = 6;      ///< that a fit of what turns begins with
constexpr double kStraight = 1e-3;    ///< curvature by a rail's length: below it there is no radius to speak of
constexpr double kLeastWidth = 1e-7;  ///< of the widest place: rails have met
constexpr double kBeside = 1e-6;      ///< of a rail: where its directions are taken at places that have none

Carried carriedBy(const Vec3& origin, const Vec3& height, const Vec3& along) {
  Carried c;
  c.origin = origin;
  c.along = along;
  c.axes << height.cross(along), height, along; // x, y, z: right-handed
  return c;
}

} // namespace

RailRun::RailRun(const Path& rail)
    : path_(std::make_shared<const Path>(rail)), length_(std::make_shared<const ArcLength>(*path_)),
      own_(rail.segments().size() == 1 && std::holds_alternative<Spline>(rail.segments().front())) {}

double RailRun::parameter(double x) const {
  const double t = own_ ? x * path_->last() : length_->parameterAt(std::clamp(x, 0.0, 1.0) * length_->total());
  return std::clamp(t, 0.0, path_->last());
}

double RailRun::fraction(double x) const { return own_ ? length_->fractionAt(std::clamp(x, 0.0, 1.0) * path_->last()) : x; }

double RailRun::ofFraction(double f) const {
  return own_ ? length_->parameterAt(std::clamp(f, 0.0, 1.0) * length_->total()) / path_->last() : f;
}

Vec3 RailRun::tangent(double x) const {
  const double t = parameter(x);
  if (t >= path_->last()) return path_->tangentBefore(path_->last()).normalized();
  CurveDerivatives d;
  path_->derivatives(t, 1, d);
  return d[1].normalized();
}

std::optional<Vec3> RailFrames::height(const Vec3& at, const Vec3& t) const {
  const auto across = [&](const Vec3& d) -> std::optional<Vec3> {
    const Vec3 y = d - d.dot(t) * t;
    if (!(y.norm() > kLeastSine * d.norm())) return {};
    return y.normalized();
  };
  switch (o_.kind) {
  case RailFrame::Upright: {
    const auto e = across(o_.up);
    if (!e || o_.leanDeg == 0) return e;
    // The side of a line along the height has a normal N, square to the rail, with N . up = sin(lean).
    const double steep = o_.up.dot(*e), s = std::sin(radFromDeg(o_.leanDeg));
    if (std::abs(s) >= steep) return {};
    const double phi = std::acos(s / steep);
    const Vec3 n = std::cos(phi) * *e + std::sin(phi) * t.cross(*e);
    return Vec3(n.cross(t));
  }
  case RailFrame::OnSkin: {
    const auto on = o_.skin(at);
    return on ? across(on->normal) : std::nullopt;
  }
  case RailFrame::AboutAxis: {
    const Vec3 from = at - o_.axisAt;
    const Vec3 out = from - from.dot(o_.axis) * o_.axis;
    return out.norm() > 0 ? across(out) : std::nullopt;
  }
  default: return {};
  }
}

Expected<RailFrames> RailFrames::along(const Path& rail, const RailFrameOptions& options) {
  RailFrames f(rail);
  f.o_ = options;
  if (options.kind == RailFrame::LeastTwist || options.kind == RailFrame::Parallel) {
    f.twist_ = std::make_shared<const LeastTwist>(f.rail_.path(), options.start);
    if (rail.closed()) {
      const Frame a = f.twist_->at(0.0), b = f.twist_->at(1.0);
      f.missing_ = std::atan2(b.x.cross(a.x).dot(a.normal()), b.x.dot(a.x));
    }
  } else {
    Vec3 before = Vec3::Zero();
    for (int i = 0; i <= kFrameLooks; ++i) {
      const double x = rail.closed() && i == kFrameLooks ? 0.0 : double(i) / kFrameLooks;
      const Vec3 at = f.rail_.at(x);
      const auto y = f.height(at, f.rail_.tangent(x));
      if (!y) {
        const bool lean = options.kind == RailFrame::Upright && options.leanDeg != 0;
        return fail((lean ? problem("LM-Y006", "the rail is too steep here for this lean")
                              .measure(degrees(options.leanDeg))
                              .inField("lean")
                              .tryThis("lean less, or take another rail or direction")
                     : options.kind == RailFrame::Upright
                         ? problem("LM-Y005", "the rail runs along the direction that is to be kept")
                               .inField("up")
                               .tryThis("take another direction, or turn by least twist")
                     : options.kind == RailFrame::OnSkin
                         ? problem("LM-Y005", "the rail has no place on the skin here, or stands square on it")
                               .inField("skin")
                               .tryThis("pick the skin that the rail lies on")
                         : problem("LM-Y005", "the rail meets the axis, or runs straight away from it")
                               .inField("axis")
                               .tryThis("take another axis, or turn by least twist"))
                        .at(at));
      }
      if (i > 0 && y->dot(before) < 0)
        return fail(problem("LM-Y005", "the profile would turn over here: the rail passes the wanted direction")
                        .at(at)
                        .tryThis("take another direction, or turn by least twist"));
      before = *y;
    }
  }
  if (options.size)
    for (int i = 0; i <= kFrameLooks; ++i)
      if (const double at = double(i) / kFrameLooks; !(options.size(at) > 0))
        return fail(problem("LM-Y007", "the profile shrinks to nothing on the way")
                        .measure(ratio(options.size(at)))
                        .at(f.rail_.at(f.rail_.ofFraction(at)))
                        .inField("sizeAlong")
                        .tryThis("keep the size above nought"));
  return f;
}

Carried RailFrames::atRun(double x) const {
  if (closed()) x -= std::floor(x);
  x = std::clamp(x, 0.0, 1.0);
  const double fraction = o_.turnDeg || o_.size || missing_ != 0 ? rail_.fraction(x) : 0.0;
  Carried c;
  if (o_.kind == RailFrame::LeastTwist) {
    Frame frame = twist_->atParameter(rail_.parameter(x));
    if (missing_ != 0) {
      const Eigen::AngleAxisd r(missing_ * fraction, frame.normal());
      frame = {frame.origin, r * frame.x, r * frame.y};
    }
    c = Carried::from(frame);
  } else if (o_.kind == RailFrame::Parallel) {
    c = Carried::from(o_.fixed ? *o_.fixed : twist_->at(0.0));
    c.origin = rail_.at(x);
  } else {
    const Vec3 at = rail_.at(x), along = rail_.tangent(x);
    c = carriedBy(at, height(at, along).value_or(along.unitOrthogonal()), along);
  }
  const double turn = o_.turnDeg ? radFromDeg(o_.turnDeg(fraction)) : 0.0, size = o_.size ? o_.size(fraction) : 1.0;
  if (turn != 0) c.axes = Eigen::AngleAxisd(turn, c.along) * c.axes;
  c.axes *= size;
  return c;
}

OneRail::OneRail(RailFrames frames, const std::vector<double>& stations) : frames_(std::move(frames)) {
  const auto run = [&](double f) {
    const double turn = frames_.closed() ? std::floor(f) : 0.0;
    return turn + frames_.rail().ofFraction(f - turn);
  };
  from_ = run(stations.front());
  to_ = run(stations.back());
  for (double s : stations) at_.push_back((run(s) - from_) / (to_ - from_));
  at_.front() = 0, at_.back() = 1;
}

void OneRail::mitre(int end, const Vec3& normal) { lean_[size_t(end)] = normal; }

Expected<void> OneRail::tilt(const std::vector<double>& at, const std::vector<Vec3>& by) {
  const int n = int(at.size());
  Rows rows(n, 3);
  for (int i = 0; i < n; ++i) rows.row(i) = by[size_t(i)].transpose();
  const int degree = std::min(3, n - 1);
  LUMSK_TRY(made, interpolateRows(at, rows, degree, Rows(0, 3), Rows(0, 3)));
  tilt_ = AcrossRows{degree, made.knots, made.controls};
  return {};
}

Carried OneRail::on(double v) const {
  Carried c = frames_.atRun(from_ + v * (to_ - from_));
  if (tilt_) {
    const Vec3 by = valueOf(tilt_->degree, tilt_->knots, tilt_->controls, v).transpose();
    if (by.norm() > 0) c.axes = c.axes * Eigen::AngleAxisd(by.norm(), by.normalized());
    c.along = c.axes.col(2).normalized();
  }
  const bool straight = frames_.rail().path().segments().size() == 1 &&
                        std::holds_alternative<LineSegment>(frames_.rail().path().segments().front());
  for (const int end : {0, 1}) {
    const Vec3& normal = lean_[size_t(end)];
    if (normal.isZero()) continue;
    // All the way evenly, which slides it along a straight rail; else from where the profile stands, smoothly.
    double part = end ? v : 1 - v;
    if (!straight) {
      const double stand = square_.value_or(0.5), room = std::max(end ? 1 - stand : stand, 1e-3);
      const double x = std::clamp(1 - (1 - part) / room, 0.0, 1.0);
      part = x * x * x * (10 - 15 * x + 6 * x * x);
    }
    if (!(part > 0)) continue;
    const Carried there = frames_.atRun(end ? to_ : from_); // what a place of the profile goes along to reach the plane
    for (const int axis : {0, 1})
      c.axes.col(axis) -= part * (there.axes.col(axis).dot(normal) / there.along.dot(normal)) * c.along;
  }
  return c;
}

std::vector<Carrier::Rough> OneRail::rough() const {
  std::vector<Rough> out;
  for (const RoughPlace& r : roughPlaces(frames_.rail().path())) {
    double at = (frames_.rail().ofFraction(r.fraction) - from_) / (to_ - from_);
    if (frames_.closed()) at -= std::floor(at);
    if (at > 0 && at < 1) out.push_back({at, frames_.options().kind == RailFrame::Parallel ? r.smooth + 1 : r.smooth});
  }
  if (tilt_)
    for (double b : breakpoints(tilt_->knots, tilt_->degree))
      if (b > 0 && b < 1) out.push_back({b, tilt_->degree - 1});
  return out;
}

int OneRail::firstSpans() const {
  return std::max(1, int(std::ceil(kSpansPerTurn * frames_.options().turns * std::abs(to_ - from_))));
}

Problem OneRail::foldProblem(double part, double v) const {
  double x = from_ + v * (to_ - from_);
  if (frames_.closed()) x -= std::floor(x);
  CurveDerivatives d;
  const Path& path = frames_.rail().path();
  path.derivatives(std::min(frames_.rail().parameter(x), std::nextafter(path.last(), 0.0)), 2, d);
  const double k = curvature(d);
  Problem p = problem("LM-Y003", "the rail bends more tightly here than the profile reaches: the skin would fold over itself");
  if (k * frames_.rail().lengthMm() > kStraight)
    p.measure(millimetres(1 / k)).want(millimetres(part / k));
  else
    p.measure(ratio(1 / part)).want(ratio(1));
  return p.tryThis("make the profile smaller, or let the rail bend less");
}

Expected<std::shared_ptr<Carrier>> ManyRails::along(const std::vector<Path>& rails,
                                                    const std::vector<std::vector<double>>& stations, bool widthOnly,
                                                    double* stand) {
  auto made = std::make_shared<ManyRails>();
  ManyRails& c = *made;
  c.widthOnly_ = widthOnly && rails.size() == 2;
  for (const Path& r : rails) c.rails_.emplace_back(r);
  std::vector<double> first;
  for (double f : stations.front()) first.push_back(c.rails_[0].ofFraction(f));
  const bool whole = first.size() == 1;
  const double from = whole ? 0.0 : first.front(), to = whole ? 1.0 : first.back();
  for (double s : first) c.at_.push_back((s - from) / (to - from));
  if (whole) c.at_ = {0.0, 1.0};
  *stand = whole ? first[0] : 0.0;
  for (size_t k = 0; k < rails.size(); ++k) {
    std::vector<double> own, x, y;
    for (double f : stations[k]) own.push_back(c.rails_[k].ofFraction(f));
    if (whole) {
      // The whole of every rail; in between, the profile stands on its station of each.
      x = {0.0}, y = {0.0};
      constexpr double kAtEnd = 1e-6;
      if (first[0] > kAtEnd && first[0] < 1 - kAtEnd && own[0] > kAtEnd && own[0] < 1 - kAtEnd)
        x.push_back(first[0]), y.push_back(own[0]);
      x.push_back(1.0), y.push_back(1.0);
    } else {
      x = c.at_, y = own;
    }
    LUMSK_TRY(map, MonotoneMap::through(x, y, false));
    c.along_.emplace_back(std::move(map));
  }
  for (int i = 0; i <= kFrameLooks; ++i) {
    const double v = double(i) / kFrameLooks;
    c.largest_ = std::max(i == 0 ? 0.0 : c.largest_, (c.railAt(1, v, nullptr) - c.railAt(0, v, nullptr)).norm());
  }
  if (whole && c.on(0.0).shrunk() && c.on(1.0).shrunk()) c.at_ = {0.0, std::clamp(*stand, 0.1, 0.9), 1.0};
  Vec3 before = Vec3::Zero();
  for (int i = 0; i <= kFrameLooks; ++i) {
    const double v = double(i) / kFrameLooks;
    Vec3 t0, t1;
    const Vec3 a = c.railAt(0, v, &t0), b = c.railAt(1, v, &t1), way = b - a;
    const bool atEnd = i == 0 || i == kFrameLooks;
    const Carried here = c.on(v);
    const bool lost = !atEnd && !(way.norm() > kLeastSine * 0.05 * c.largest_);
    const bool slanted = !atEnd && !((t0 + t1).cross(way).norm() > kLeastSine * way.norm() * (t0 + t1).norm());
    if (lost || slanted || !here.axes.allFinite() || (i > 0 && here.along.dot(before) < 0))
      return fail(problem("LM-Y008", lost ? "the rails meet on the way" : "the rails do not run beside one another here")
                      .at(a)
                      .at(b)
                      .inField("rails")
                      .tryThis(lost ? "take parts of the rails that do not cross" : "take other rails, or parts of them"));
    before = here.along;
  }
  return std::shared_ptr<Carrier>(std::move(made));
}

Vec3 ManyRails::railAt(size_t k, double v, Vec3* tangent) const {
  const double x = std::clamp((*along_[k])(std::clamp(v, 0.0, 1.0)), 0.0, 1.0);
  if (tangent) *tangent = rails_[k].tangent(x);
  return rails_[k].at(x);
}

Carried ManyRails::on(double v) const {
  Vec3 t0, t1;
  const Vec3 a = railAt(0, v, &t0), b = railAt(1, v, &t1);
  Vec3 way = b - a, toThird = rails_.size() > 2 ? Vec3(railAt(2, v, nullptr) - a) : Vec3(Vec3::Zero());
  const double width = way.norm();
  const bool met = !(width > kLeastWidth * largest_);
  Vec3 direction = way, third = toThird;
  if (met) { // as just beside
    const double w = v < 0.5 ? v + kBeside : v - kBeside;
    const Vec3 from = railAt(0, w, &t0);
    direction = railAt(1, w, &t1) - from;
    if (rails_.size() > 2) third = railAt(2, w, nullptr) - from;
  }
  direction.normalize();
  Carried c;
  c.origin = a;
  const Vec3 t = (t0 + t1).normalized();
  if (rails_.size() > 2) {
    c.along = direction.cross(third).normalized();
    if (c.along.dot(t) < 0) c.along = -c.along;
    c.axes << way, toThird, c.along;
    return c;
  }
  c.along = (t - t.dot(direction) * direction).normalized();
  const double high = widthOnly_ ? 1.0 : width;
  c.axes << direction * width, c.along.cross(direction) * high, c.along * high;
  return c;
}

std::vector<Carrier::Rough> ManyRails::rough() const {
  std::vector<Rough> out;
  for (size_t k = 0; k < rails_.size(); ++k)
    for (const RoughPlace& r : roughPlaces(rails_[k].path())) {
      const double wanted = rails_[k].ofFraction(r.fraction);
      double low = 0, high = 1;
      constexpr int kHalvings = 50;
      for (int it = 0; it < kHalvings; ++it) {
        const double m = 0.5 * (low + high);
        ((*along_[k])(m) < wanted ? low : high) = m;
      }
      const double at = 0.5 * (low + high);
      if (at > 1e-6 && at < 1 - 1e-6) out.push_back({at, r.smooth});
    }
  return out;
}

Problem ManyRails::foldProblem(double part, double) const {
  return problem("LM-Y003", "the rails bend more tightly here than the profile reaches: the skin would fold over itself")
      .measure(ratio(1 / part))
      .want(ratio(1))
      .tryThis("make the profile smaller, or let the rails bend less");
}

} // namespace lumsk::nurbs
