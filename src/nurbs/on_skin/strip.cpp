#include "nurbs/on_skin/strip.h"

#include "nurbs/fit/interpolate.h"
#include "nurbs/measure/arc_length.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr int kLeastSamples = 48, kMostSamples = 400;
constexpr double kSamplesAWidth = 8; ///< so many over a length as long as the strip is wide
constexpr int kSteps = 20;
constexpr double kMargin = 1.02;     ///< of what just does not fold

} // namespace

double shareAcross(Transition kind, double s) {
  if (kind == Transition::Straight) return s;
  if (kind == Transition::Tangent) return s * s * (3 - 2 * s);
  return s * s * s * s * (35 + s * (-84 + s * (70 - 20 * s)));
}

Expected<SkinStrip> SkinStrip::along(const Path& path, double widthMm, const std::function<std::optional<Vec3>(const Vec3&)>& normalAt,
                                     const Context& cx) {
  const auto cornered = path.corners(cx.tolerances.corner);
  if (!cornered.empty())
    return fail(problem("LM-T010", "the outline of a zone has a corner: its transition would fold there")
                    .at(path.at(cornered.front()))
                    .tryThis("round the corner by more than half the width, or take a step"));
  SkinStrip out;
  const ArcLength length(path);
  out.closed_ = path.closed(), out.widthMm_ = widthMm, out.lengthMm_ = length.total();
  const int n = std::clamp(int(kSamplesAWidth * length.total() / widthMm), kLeastSamples, kMostSamples);
  const int rows = out.closed_ ? n : n + 1;
  Rows values(rows, 6);
  std::vector<double> t;
  for (int i = 0; i <= n; ++i) t.push_back(double(i) / n);
  for (int i = 0; i < rows; ++i) {
    const Vec3 p = path.at(length.parameterAt(t[size_t(i)] * length.total()));
    const auto normal = normalAt(p);
    if (!normal) return fail(problem("LM-T010", "the outline of a zone leaves the skin").at(p).tryThis("draw it on the skin"));
    values.row(i) << p.transpose(), normal->transpose();
    out.samples_.push_back(p);
  }
  constexpr int kDegree = 5;
  RowInterpolation made;
  if (out.closed_) {
    made = interpolateClosedRows(t, values, kDegree);
  } else {
    LUMSK_TRY(open, interpolateRows(t, values, kDegree, Rows(0, 6), Rows(0, 6)));
    made = std::move(open);
  }
  out.curve_ = Spline::trusted(kDegree, made.knots, Points(made.controls.leftCols(3)), out.closed_);
  out.normals_ = Spline::trusted(kDegree, made.knots, Points(made.controls.rightCols(3)), out.closed_);
  return out;
}

double SkinStrip::inside(double t) const { return closed_ ? t - std::floor(t) : std::clamp(t, 0.0, 1.0); }

Vec3 SkinStrip::at(double t) const { return curve_.at(inside(t)); }
Vec3 SkinStrip::straightAt(const Place& p) const {
  const double in = inside(p.t);
  return curve_.at(in) + (closed_ ? 0.0 : p.t - in) * curve_.tangent(in) + p.asideMm * left(p.t);
}
Vec3 SkinStrip::normal(double t) const { return normals_.at(inside(t)).normalized(); }
Vec3 SkinStrip::left(double t) const { return normals_.at(inside(t)).cross(curve_.tangent(inside(t))).normalized(); }

SkinStrip::Place SkinStrip::placeOf(const Vec3& p) const {
  size_t nearest = 0;
  for (size_t i = 1; i < samples_.size(); ++i)
    if ((samples_[i] - p).squaredNorm() < (samples_[nearest] - p).squaredNorm()) nearest = i;
  Place out;
  out.t = double(nearest) / double(closed_ ? samples_.size() : samples_.size() - 1);
  for (int it = 0; it < kSteps; ++it) {
    const double in = inside(out.t);
    CurveDerivatives d;
    curve_.derivatives(in, 2, d);
    const Vec3 from = p - d[0] - (out.t - in) * (closed_ ? 0.0 : 1.0) * d[1]; // straight on beyond its ends
    const double slope = d[1].squaredNorm() - (closed_ || out.t == in ? from.dot(d[2]) : 0.0);
    const double step = from.dot(d[1]) / std::max(slope, 0.1 * d[1].squaredNorm());
    out.t += step;
    if (std::abs(step) < 1e-14) break;
  }
  const double in = inside(out.t);
  const Vec3 foot = curve_.at(in) + (closed_ ? 0.0 : out.t - in) * curve_.tangent(in);
  out.asideMm = (p - foot).dot(left(out.t));
  return out;
}

std::optional<Vec2> SkinStrip::on(const Surface& s, const Place& place, Vec2 uv) const {
  const double in = inside(place.t);
  const Vec3 along = curve_.tangent(in), aside = left(place.t), unit = along.normalized();
  const Vec3 foot = curve_.at(in) + (closed_ ? 0.0 : place.t - in) * along;
  SurfaceDerivatives d;
  double off = 1e300;
  for (int it = 0; it < kSteps; ++it) {
    s.derivatives(roundU(s, uv.x()), uv.y(), 1, d);
    const Vec3 from = d(0, 0) - foot;
    const Vec2 r(from.dot(unit), from.dot(aside) - place.asideMm);
    if (r.norm() < 1e-11 || (it > 6 && r.norm() >= off)) break;
    off = r.norm();
    Eigen::Matrix2d J;
    J << d(1, 0).dot(unit), d(0, 1).dot(unit), d(1, 0).dot(aside), d(0, 1).dot(aside);
    if (!(std::abs(J.determinant()) > 1e-14 * J.squaredNorm())) return {};
    uv -= J.inverse() * r;
    if (!uv.allFinite()) return {};
  }
  s.derivatives(roundU(s, uv.x()), uv.y(), 0, d);
  const Vec3 from = d(0, 0) - foot;
  return Vec2(from.dot(unit), from.dot(aside) - place.asideMm).norm() < 1e-6 ? std::optional(uv) : std::nullopt;
}

double roundU(const Surface& s, double u) {
  if (!s.closedU()) return u;
  const double size = s.lastU() - s.firstU();
  return u - size * std::floor((u - s.firstU()) / size);
}

std::optional<SkinStrip::Fold> SkinStrip::folds() const {
  const double half = 0.5 * widthMm_;
  Fold worst{1e300, Vec3::Zero()};
  for (size_t i = 0; i < samples_.size(); ++i) {
    const double t = double(i) / double(closed_ ? samples_.size() : samples_.size() - 1);
    CurveDerivatives d;
    curve_.derivatives(inside(t), 2, d);
    const Vec3 aside = left(t);
    const double bend = std::abs(d[2].dot(aside)) / d[1].squaredNorm();
    if (bend * half * kMargin > 1 && 2 / (bend * kMargin) < worst.fitsMm) worst = {2 / (bend * kMargin), d[0]};
    for (int side : {-1, 1}) { // another part of the curve that is as near
      const Vec3 p = d[0] + side * half * aside;
      for (const Vec3& q : samples_)
        if ((q - p).norm() < half / kMargin && (q - d[0]).norm() > half && 2 * (q - p).norm() < worst.fitsMm)
          worst = {(q - d[0]).norm() / kMargin, d[0]};
    }
  }
  if (worst.fitsMm > 1e299) return {};
  return worst;
}

} // namespace lumsk::nurbs
