#include "nurbs/curves/curve_parts.h"

#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_ends.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kSameParameter = 1e-9;
constexpr double kAtKnot = 0.1; ///< of `point`: so near to a knot a place is the knot

/// A parameter, or the knot that is as good as there: else a span of no length would be left.
double orKnot(const Spline& c, double u, LengthTolerance point) {
  const auto next = std::lower_bound(c.knots().begin(), c.knots().end(), u);
  for (const auto k : {next, next == c.knots().begin() ? next : std::prev(next)})
    if (k != c.knots().end() && (c.at(*k) - c.at(u)).norm() <= kAtKnot * point.mm) return *k;
  return u;
}

/// Part of one segment between fractions of it.
std::optional<Segment> segmentPart(const Segment& s, double f0, double f1, LengthTolerance point) {
  if (f1 - f0 < kSameParameter) return std::nullopt;
  if (f0 < kSameParameter && f1 > 1 - kSameParameter) return s;
  if (const auto* l = std::get_if<LineSegment>(&s))
    return LineSegment{l->a + f0 * (l->b - l->a), l->a + f1 * (l->b - l->a)};
  if (const auto* a = std::get_if<EllipseArc>(&s)) {
    const double w = a->toRad - a->fromRad;
    return EllipseArc{a->centre, a->u, a->v, a->fromRad + f0 * w, a->fromRad + f1 * w};
  }
  const auto& c = std::get<Spline>(s);
  const double w = c.last() - c.first();
  const double from = orKnot(c, c.first() + f0 * w, point), to = orKnot(c, c.first() + f1 * w, point);
  if (!(to > from)) return std::nullopt;
  auto part = portion(c, from, to);
  if (!part) return std::nullopt;
  return Spline::trusted(part->degree(), part->knots(), part->points());
}

void appendPart(const Path& p, double from, double to, std::vector<Segment>& out, LengthTolerance point) {
  for (int i = int(std::floor(from)); i < int(p.segments().size()) && double(i) < to; ++i)
    if (auto part = segmentPart(p.segments()[i], std::max(0.0, from - i), std::min(1.0, to - i), point))
      out.push_back(std::move(*part));
}

} // namespace

Expected<Path> pathPortion(const Path& p, double from, double to, LengthTolerance point) {
  from = std::clamp(from, 0.0, p.last());
  to = std::clamp(to, 0.0, p.last());
  std::vector<Segment> parts;
  if (p.closed() && from >= to - kSameParameter) {
    appendPart(p, from, p.last(), parts, point);
    appendPart(p, 0.0, to, parts, point);
  } else {
    appendPart(p, from, to, parts, point);
  }
  auto made = parts.empty() ? fail(Problem{}) : Path::make(std::move(parts), point);
  if (!made)
    return fail(problem("LM-P041", "nothing of the curve is between these places")
                    .at(p.at(from))
                    .tryThis("take places that are apart, the first one before the second"));
  return made;
}

Expected<std::vector<Path>> splitAt(const Path& p, std::vector<double> at, LengthTolerance point) {
  for (double& t : at) t = std::clamp(t, 0.0, p.last());
  std::sort(at.begin(), at.end());
  at.erase(std::unique(at.begin(), at.end(), [](double a, double b) { return b - a < kSameParameter; }), at.end());
  if (p.closed() && at.size() > 1 && at.back() > p.last() - kSameParameter && at.front() < kSameParameter)
    at.pop_back();
  std::vector<Path> out;
  if (p.closed()) {
    for (size_t i = 0; i < at.size(); ++i) {
      LUMSK_TRY(part, pathPortion(p, at[i], at[(i + 1) % at.size()], point));
      out.push_back(std::move(part));
    }
  } else {
    at.insert(at.begin(), 0.0);
    at.push_back(p.last());
    for (size_t i = 0; i + 1 < at.size(); ++i)
      if (at[i + 1] - at[i] > kSameParameter)
        if (auto part = pathPortion(p, at[i], at[i + 1], point)) out.push_back(std::move(*part));
  }
  if (out.empty() || (out.size() < 2 && !p.closed()))
    return fail(problem("LM-P041", "the curve is not split there: the place is its end")
                    .at(at.size() > 2 ? p.at(at[1]) : p.start())
                    .tryThis("pick a place inside the curve"));
  return out;
}

namespace {

struct Link {
  int curve;
  bool atEnd;
  double gap;
};

/// The end nearest to a place among curves that are not used yet.
std::optional<Link> nearestEnd(const std::vector<Path>& curves, const std::vector<char>& used, const Vec3& to) {
  std::optional<Link> best;
  for (size_t k = 0; k < curves.size(); ++k)
    for (bool end : {false, true}) {
      if (used[k]) continue;
      const double gap = ((end ? curves[k].end() : curves[k].start()) - to).norm();
      if (!best || gap < best->gap) best = Link{int(k), end, gap};
    }
  return best;
}

Problem apart(double gap, double allowed, const Vec3& at) {
  return problem("LM-P042", "the curves do not meet end to end")
      .measure(millimetres(gap))
      .want(millimetres(allowed))
      .at(at)
      .tryThis("pick curves that follow one another, or allow a larger gap");
}

} // namespace

Expected<ChainedCurves> chained(const std::vector<Path>& curves, LengthTolerance gap, const Context& cx) {
  for (const Path& p : curves)
    if (p.closed() && curves.size() > 1)
      return fail(problem("LM-P043", "a closed curve cannot be joined to another")
                      .at(p.start())
                      .tryThis("leave it out, or split it first"));
  std::vector<char> used(curves.size(), 0);
  std::vector<Path> row{curves.front()};
  used[0] = 1;
  double nearestGap = 1e300;
  Vec3 nearestAt = Vec3::Zero();
  for (size_t n = 1; n < curves.size(); ++n) {
    const auto after = nearestEnd(curves, used, row.back().end()),
               before = nearestEnd(curves, used, row.front().start());
    const bool append = after->gap <= before->gap;
    const Link& link = append ? *after : *before;
    nearestGap = link.gap, nearestAt = append ? row.back().end() : row.front().start();
    if (nearestGap > gap.mm) return fail(apart(nearestGap, gap.mm, nearestAt));
    const Path& c = curves[link.curve];
    used[link.curve] = 1;
    if (append)
      row.push_back(link.atEnd ? reversed(c) : c);
    else
      row.insert(row.begin(), link.atEnd ? c : reversed(c));
  }
  // More than two ends in one place: which of them go on is not for us to say.
  for (size_t i = 0; i < row.size(); ++i)
    for (size_t k = i + 2; k < row.size(); ++k)
      if (!(i == 0 && k + 1 == row.size()) && (row[i].end() - row[k].start()).norm() <= cx.tolerances.point.mm)
        return fail(problem("LM-P043", "more than two curves meet in one place")
                        .at(row[i].end())
                        .tryThis("pick only the curves that are to follow one another"));
  ChainedCurves out;
  const double ring = row.size() > 1 || !row.front().closed() ? (row.back().end() - row.front().start()).norm() : 0.0;
  const bool closes = row.size() > 1 && ring <= gap.mm;
  std::vector<Segment> segments;
  for (size_t i = 0; i < row.size(); ++i) {
    const size_t next = (i + 1) % row.size();
    if (next == 0 && !closes) continue;
    const Vec3 a = row[i].end(), b = row[next].start(), middle = 0.5 * (a + b);
    const double g = (b - a).norm();
    if (g > out.largestGapMm) out.largestGapMm = g, out.gapAt = middle;
    if (g <= 1e-9) continue;
    LUMSK_TRY(first, endMoved(row[i], true, middle, cx));
    row[i] = first.path;
    LUMSK_TRY(second, endMoved(row[next], false, middle, cx));
    row[next] = second.path;
  }
  for (const Path& p : row) segments.insert(segments.end(), p.segments().begin(), p.segments().end());
  LUMSK_TRY(path, Path::make(std::move(segments), cx.tolerances.point));
  out.path = std::move(path);
  return out;
}

Deviation deviationFrom(const Path& p, const Path& from) {
  Deviation out;
  const Points pts = polyline(p, 8);
  for (Eigen::Index i = 0; i < pts.rows(); ++i) {
    const Vec3 q = pts.row(i).transpose();
    if (const double d = closestPoint(from, q).distanceMm; d > out.mm) out = {d, q};
  }
  return out;
}

} // namespace lumsk::nurbs
