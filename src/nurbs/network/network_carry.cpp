#include "nurbs/network/network_carry.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/surface_curves.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPlaces = 80;           ///< of a continuation
constexpr double kRoom = 0.6;         ///< of the way to a neighbouring curve: so near a continuation comes to it
constexpr double kLeastForward = 0.1; ///< cosine: a curve that turns away more does not go on towards what is missing

/// A curve that ends within a network, and the skin of that network without it.
struct Unfinished {
  const Path* path = nullptr;
  const Surface* skin = nullptr;            ///< u runs as the curve does, or against it
  std::vector<double> places;               ///< u of the curves that it should cross, growing
  std::vector<std::optional<Vec3>> crossed; ///< where it does
  std::vector<double> neighbours;           ///< v of its own family's curves, growing
  std::string called;
};

Problem cannot(const Unfinished& c, const std::string& why, const Vec3& at) {
  return problem("LM-N015", c.called + " ends within the network and cannot be carried on: " + why)
      .at(at)
      .tryThis("extend it over the curves that it should cross, or take it out");
}

/// A curve's end as the curve leaves it, by arc length.
struct End {
  Vec3 at, tangent, second;
};
End endOf(const Path& p) {
  CurveDerivatives d;
  p.derivatives(std::nextafter(p.last(), 0.0), 2, d);
  const double w = d[1].squaredNorm();
  return {p.end(), d[1] / std::sqrt(w), (d[2] - d[2].dot(d[1]) / w * d[1]) / w};
}

/// A line of the parameters: v over u.
struct Line {
  double u = 0, v = 0, slope = 0;
  double at(double x) const { return v + slope * (x - u); }
};

/// From the end on to `lastU`; off the skin until `missedU`. `through`: its crossings, the last one first.
Expected<Spline> continuation(const Unfinished& c, const NearestOnSurface& near, const End& end, double missedU,
                              double lastU, const std::vector<Vec3>& through) {
  const Surface& s = *c.skin;
  const auto foot = near.foot(end.at);
  if (foot.beyond) return fail(cannot(c, "it ends outside of the skin through the other curves", end.at));
  SurfaceDerivatives d;
  s.derivatives(foot.uv.x(), foot.uv.y(), 2, d);
  Eigen::Matrix2d metric;
  metric << d(1, 0).squaredNorm(), d(1, 0).dot(d(0, 1)), d(1, 0).dot(d(0, 1)), d(0, 1).squaredNorm();
  const Vec2 rate = metric.inverse() * Vec2(d(1, 0).dot(end.tangent), d(0, 1).dot(end.tangent)); // by mm
  const double way = lastU - foot.uv.x(), forward = rate.x() * d(1, 0).norm() * (way > 0 ? 1 : -1);
  if (!((missedU - foot.uv.x()) * way > 0)) return fail(cannot(c, "it passes by a curve that it should cross", end.at));
  if (forward < kLeastForward) return fail(cannot(c, "its end does not lead on to them", end.at));
  const auto above = std::upper_bound(c.neighbours.begin(), c.neighbours.end(), foot.uv.y());
  const double low = above == c.neighbours.begin() ? s.firstV() : *(above - 1);
  const double high = above == c.neighbours.end() ? s.lastV() : *above;
  const double length = way / rate.x(), fades = (missedU - foot.uv.x()) / rate.x();
  // Where the others cross at common parameters it does too.
  Line line{foot.uv.x(), foot.uv.y() + 0.5 * fades * rate.y(), 0};
  if (through.size() > 1) {
    const Vec2 one = near.foot(through[1]).uv, last = near.foot(through[0]).uv;
    line = {last.x(), last.y(), (last.y() - one.y()) / (last.x() - one.x())};
  }
  const auto within = [&](double v) {
    return std::clamp(v, foot.uv.y() - kRoom * (foot.uv.y() - low), foot.uv.y() + kRoom * (high - foot.uv.y()));
  };
  if (const double from = line.at(foot.uv.x()), to = within(line.at(lastU)); to != line.at(lastU))
    line = {foot.uv.x(), within(from), (to - within(from)) / way};
  const Vec3 off = end.at - d(0, 0), off1 = end.tangent - d(1, 0) * rate.x() - d(0, 1) * rate.y(),
             off2 = end.second -
                    (d(2, 0) * rate.x() * rate.x() + 2 * d(1, 1) * rate.x() * rate.y() + d(0, 2) * rate.y() * rate.y());
  std::vector<double> t;
  Rows points(kPlaces + 1, 3);
  for (int i = 0; i <= kPlaces; ++i) {
    t.push_back(double(i) / kPlaces);
    const double x = length * t.back(), y = std::min(1.0, x / fades), y3 = y * y * y;
    // Quintics that vanish at 1 with two derivatives (Hermite): of place, first and second derivative at 0.
    const double place = 1 - y3 * (10 - y * (15 - 6 * y)), first = fades * (y - y3 * (6 - y * (8 - 3 * y))),
                 second = fades * fades * 0.5 * (y * y - y3 * (3 - y * (3 - y)));
    const double u = i == kPlaces ? lastU : foot.uv.x() + rate.x() * x;
    const double v =
        line.at(u) + place * (foot.uv.y() - line.at(foot.uv.x())) + first * (rate.y() - line.slope * rate.x());
    points.row(i) = (s.at(u, v) + place * off + first * off1 + second * off2).transpose();
  }
  Rows start(2, 3);
  start.row(0) = length * end.tangent.transpose();
  start.row(1) = length * length * end.second.transpose();
  LUMSK_TRY(made, interpolateRows(t, points, 5, start, Rows(0, 3)));
  return Spline::trusted(5, made.knots, Points(made.controls));
}

Expected<NetworkCarried> finished(const Unfinished& c, const Tolerances& tol) {
  const auto crosses = [](const std::optional<Vec3>& p) { return p.has_value(); };
  const auto first = std::find_if(c.crossed.begin(), c.crossed.end(), crosses);
  const auto last = std::find_if(c.crossed.rbegin(), c.crossed.rend(), crosses).base();
  if (!std::all_of(first, last, crosses))
    return fail(cannot(c, "it passes by a curve between two that it crosses", c.path->at(0.5 * c.path->last())));
  const NearestOnSurface near(*c.skin);
  const bool forwards = near.foot(c.path->start()).uv.x() < near.foot(c.path->end()).uv.x();
  std::vector<Vec3> through;
  for (auto i = first; i != last; ++i) through.push_back(**i);
  NetworkCarried out{0, *c.path, {}};
  const auto carry = [&](bool atEnd, size_t missed, double to) -> Expected<void> {
    const bool turned = atEnd != forwards;
    if (atEnd) std::reverse(through.begin(), through.end());
    const Path leaving = turned ? reversed(out.path) : out.path;
    LUMSK_TRY(spline, continuation(c, near, endOf(leaving), c.places[missed], to, through));
    if (atEnd) std::reverse(through.begin(), through.end());
    std::vector<Segment> segments = leaving.segments();
    segments.push_back(std::move(spline));
    out.from.push_back(leaving.end());
    LUMSK_TRY(path, Path::make(std::move(segments), tol.point));
    out.path = turned ? reversed(path) : std::move(path);
    return {};
  };
  if (last != c.crossed.end()) LUMSK_CHECK(carry(true, size_t(last - c.crossed.begin()), c.places.back()));
  if (first != c.crossed.begin()) LUMSK_CHECK(carry(false, size_t(first - c.crossed.begin()) - 1, c.places.front()));
  return out;
}

} // namespace

Expected<std::vector<NetworkCarried>> carriedOn(const std::vector<NetworkCurve>& curves,
                                                const std::vector<int>& unfinished, const NetworkResult& without,
                                                LengthTolerance largestGap, const Tolerances& tol) {
  std::vector<NetworkCarried> out;
  const auto &columns = without.sorted.columns, &rows = without.sorted.rows;
  const double near = std::max(largestGap.mm, 10 * tol.point.mm);
  const auto poleAt = [&](bool first) {
    return (first ? without.sorted.grid.front() : without.sorted.grid.back()).front().at;
  };
  const auto atPole = [&](const Vec3& p) { // where columns meet one another
    return (rows.front().index < 0 && (p - poleAt(true)).norm() <= near) ||
           (rows.back().index < 0 && (p - poleAt(false)).norm() <= near);
  };
  for (int k : unfinished) {
    const Path& path = curves[size_t(k)].path;
    Unfinished c;
    c.called = "curve " + std::to_string(k + 1);
    c.path = &path;
    if (without.cornered) return fail(cannot(c, "the network has edges", path.start()));
    const NetworkPatch& skin = without.patches.front();
    const MeetingSide own(path);
    const auto crossing = [&](const SortedCurve& other) -> std::optional<Vec3> {
      if (other.index < 0) {
        const Vec3 pole = poleAt(&other == &rows.front());
        const double off = std::min((path.start() - pole).norm(), (path.end() - pole).norm());
        return off <= near ? std::optional<Vec3>(pole) : std::nullopt;
      }
      for (const Meeting& m : meetings(own, MeetingSide(curves[size_t(other.index)].path), largestGap.mm).list)
        if (!atPole(m.middle())) return m.middle();
      return {};
    };
    const bool row = std::any_of(columns.begin(), columns.end(), crossing);
    if (row && without.sorted.closed) return fail(cannot(c, "the others are closed", path.start()));
    const Surface turned = row ? skin.surface : exchanged(skin.surface);
    c.skin = &turned;
    c.places = row ? skin.columnsAt : skin.rowsAt;
    c.neighbours = row ? skin.rowsAt : skin.columnsAt;
    for (const SortedCurve& other : row ? columns : rows) c.crossed.push_back(crossing(other));
    LUMSK_TRY(made, finished(c, tol));
    made.curve = k;
    out.push_back(std::move(made));
  }
  return out;
}

} // namespace lumsk::nurbs
