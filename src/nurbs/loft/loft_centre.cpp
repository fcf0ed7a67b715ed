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
constexpr int kManySpans = 20;
constexpr double kCentrePart = 0.7; ///< of `fit`: what following the line may use
constexpr double kNear = 1e-4;      ///< of the line: for differences
constexpr double kSameBreak = 0.01; ///< of the loft: breaks so near to a jump give way to it


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

Expected<LoftCentre> LoftCentre::of(const LoftPlaces& places, const LoftOptions& o, const Context& cx) {
  LoftCentre c;
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
  return c;
}

Expected<void> LoftCentre::place(const std::vector<double>& sections, bool around) {
  LUMSK_TRY(map, MonotoneMap::through(sections, at_, around));
  placed_ = std::move(map);
  return {};
}

Frame LoftCentre::frame(double v) const { return frameOnLine(placed_ ? (*placed_)(v) : v); }

Frame LoftCentre::frameOnLine(double v) const {
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
  if (placed_) v = (*placed_)(v);
  const double a = std::max(0.0, v - kNear), b = std::min(1.0, v + kNear);
  const Frame low = frameOnLine(a), high = frameOnLine(b), here = frameOnLine(v);
  const Vec3 turn = (high.normal() - low.normal()) * (reversed_ ? -1.0 : 1.0); // normals do not turn over
  const double way = (high.origin - low.origin).norm();
  return way > 0 ? Vec2(turn.dot(here.x) / way, turn.dot(here.y) / way) : Vec2(Vec2::Zero());
}

Expected<AcrossRows> LoftCentre::along(const Rows& rows, const std::vector<LoftStrip>& strips, const LoftAcross& across,
                                       const Blend& blended, LengthTolerance fit) const {
  const std::vector<double>& at = across.parameters();
  const int sections = across.sections();
  Rows local = rows;
  for (int i = 0; i < sections; ++i) {
    const Frame f = frame(at[size_t(i)]);
    for (Eigen::Index c = 0; c < rows.cols() / 3; ++c)
      local.row(i).segment<3>(3 * c) = f.local(rows.row(i).segment<3>(3 * c).transpose()).transpose();
  }
  const Rows none(0, rows.cols());
  LUMSK_TRY(blend, blended(local));
  LUMSK_CHECK(checkFolds(blend, strips));
  CurveFamily family;
  family.curves = int(rows.cols() / 3);
  family.closed = across.around();
  family.sample = [&](double v, double* out) {
    const Frame f = frame(v);
    const Eigen::RowVectorXd row = valueOf(blend.degree, blend.knots, blend.controls, v);
    for (Eigen::Index c = 0; c < row.cols() / 3; ++c) {
      const Vec3 p = row.segment<3>(3 * c).transpose();
      Eigen::Map<Vec3>(out + 3 * c, 3) = f.at(p.x(), p.y(), p.z());
    }
  };
  LeanOptions lean;
  const LoftAcross::Space space = across.space({});
  lean.degree = std::max(space.degree, blend.degree);
  lean.firstBreaks = breaksWithRough(breaksOf(blend.knots, blend.degree, lean.degree), lean.degree);
  lean.fit = {kCentrePart * fit.mm};
  lean.thinBeyond = kManySpans;
  LUMSK_TRY(fitted, fitLean(family, lean));
  // Exactly through the sections; relaxed, through where the blend has them.
  Rows miss(sections, rows.cols());
  Eigen::RowVectorXd wanted(rows.cols());
  for (int i = 0; i < sections; ++i) {
    family.sample(at[size_t(i)], wanted.data());
    miss.row(i) = wanted - valueOf(fitted.degree, fitted.knots, fitted.controls, at[size_t(i)]);
  }
  LUMSK_TRY(put, across.through(miss, none, none, true));
  AcrossRows out{fitted.degree, fitted.knots, fitted.controls};
  out.controls += rowsIn(put.degree, put.knots, put.controls, out.degree, out.knots);
  return out;
}

/// What lies off the line is one derivative less smooth than the line: it passes by at a speed that follows its bending.
std::vector<double> LoftCentre::breaksWithRough(const std::vector<double>& breaks, int degree) const {
  const std::vector<Rough> rough = roughPlaces();
  std::vector<double> out;
  for (double b : breaks)
    if (b <= 0 || b >= 1 ||
        std::none_of(rough.begin(), rough.end(), [&](const Rough& r) { return std::abs(r.at - b) < kSameBreak; }))
      out.push_back(b);
  double last = 0;
  for (const Rough& r : rough) {
    if (r.smooth > 1 && r.at - last < kSameBreak) continue;
    out.insert(out.end(), size_t(degree + 1 - r.smooth), r.at);
    last = r.at;
  }
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<LoftCentre::Rough> LoftCentre::roughPlaces() const {
  constexpr double kBeside = 1e-7, kLeast = 1e-3; // the latter by the line's length
  constexpr int kHalvings = 50, kSmoothEnough = 4;
  const ArcLength length(*line_);
  std::vector<Rough> out;
  const auto take = [&](double t, int smooth) {
    double f = length.fractionAt(t);
    if (reversed_) f = 1 - f;
    double at = (f - from_) / (to_ - from_);
    if (line_->closed()) at -= std::floor(at);
    if (!(at > 0 && at < 1)) return;
    if (placed_) { // back to the loft's parameter
      double low = 0, high = 1;
      for (int it = 0; it < kHalvings; ++it) {
        const double m = 0.5 * (low + high);
        ((*placed_)(m) < at ? low : high) = m;
      }
      at = 0.5 * (low + high);
    }
    out.push_back({at, smooth});
  };
  const auto bend = [&](double t) {
    CurveDerivatives d;
    line_->derivatives(t, 2, d);
    const double w = d[1].squaredNorm();
    return Vec3((d[2] - d[2].dot(d[1]) / w * d[1]) / w);
  };
  for (int k = 0; k < int(line_->segments().size()); ++k) {
    if (k > 0 || line_->closed()) {
      const Vec3 change = bend(k + kBeside) - bend(k == 0 ? line_->last() - kBeside : k - kBeside);
      if (change.norm() * length.total() > kLeast) take(k, 1);
    }
    const auto* spline = std::get_if<Spline>(&line_->segments()[size_t(k)]);
    if (!spline) continue;
    const auto b = breakpoints(spline->knots(), spline->degree());
    for (size_t i = 1; i + 1 < b.size(); ++i)
      if (const int smooth = spline->degree() - multiplicity(spline->knots(), b[i]); smooth < kSmoothEnough)
        take(k + (b[i] - b.front()) / (b.back() - b.front()), std::max(1, smooth));
  }
  std::sort(out.begin(), out.end(), [](const Rough& a, const Rough& b) { return a.at < b.at; });
  return out;
}

/// Where the line bends more sharply than the skin reaches from it, planes square to it cross within the skin.
Expected<void> LoftCentre::checkFolds(const AcrossRows& blend, const std::vector<LoftStrip>& strips) const {
  constexpr int kPlaces = 64;
  double worst = 0;
  Vec3 at = Vec3::Zero();
  for (int p = 0; p <= kPlaces; ++p) {
    const double v = double(p) / kPlaces;
    const Vec2 bend = curvature(v);
    const Frame f = frame(v);
    Eigen::Index from = 0;
    const Eigen::RowVectorXd row = valueOf(blend.degree, blend.knots, blend.controls, v);
    for (const LoftStrip& strip : strips) {
      const Eigen::RowVectorXd own = row.segment(from, strip.rows.cols());
      for (int q = 0; q <= kPlaces; ++q) {
        const Vec3 here = strip.at(own, double(q) / kPlaces);
        if (const double part = here.head<2>().dot(bend); part > worst)
          worst = part, at = f.at(here.x(), here.y(), here.z());
      }
      from += strip.rows.cols();
    }
  }
  if (worst < 1) return {};
  return fail(problem("LM-L033", "planes square to the centre line cross within the skin: it would fold over")
                  .measure(ratio(worst))
                  .want(ratio(1))
                  .at(at)
                  .tryThis("let the centre line bend less there, take smaller sections, or no centre line"));
}

} // namespace lumsk::nurbs
