#include "nurbs/curves/curve_ends.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/fit/traced.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

Problem closedHasNoEnd(const Path& p) {
  return problem("LM-P045", "a closed curve has no end").at(p.start()).tryThis("pick an open curve, or split it first");
}

/// The path turned so that the end in question is its last point, worked on, and turned back.
template <class F> auto atLast(const Path& p, bool atEnd, F&& work) -> decltype(work(p)) {
  auto made = work(atEnd ? p : reversed(p));
  if (made && !atEnd) made->path = reversed(made->path);
  return made;
}

/// A spline's last polynomial piece carried on to `last` (> its end): the control points of the last span are found
/// anew by the blossom over the longer knots.
Spline carriedOn(const Spline& c, double last) {
  const int p = c.degree();
  Spline s = c;
  // The last span as a Bezier piece, by full multiplicity at its start.
  const auto breaks = breakpoints(c.knots(), p);
  const double a = breaks[breaks.size() - 2], b = breaks.back();
  if (breaks.size() > 2) s = insertKnot(s, a, p - multiplicity(s.knots(), a));
  const int n = s.size();
  std::vector<Vec3> q(p + 1);
  for (int i = 0; i <= p; ++i) q[i] = s.points().row(n - 1 - p + i).transpose();
  // de Casteljau at f > 1: the left polygon is the piece over [a, last].
  const double f = (last - a) / (b - a);
  std::vector<Vec3> left(p + 1);
  for (int k = 0; k <= p; ++k) {
    left[k] = q[0];
    for (int i = 0; i + k < p; ++i) q[i] = (1 - f) * q[i] + f * q[i + 1];
  }
  Points P = s.points();
  for (int i = 0; i <= p; ++i) P.row(n - 1 - p + i) = left[i].transpose();
  Knots U = s.knots();
  for (int i = 0; i <= p; ++i) U[U.size() - 1 - i] = last;
  // The knot that was only put in goes out again: the piece on its left is the same polynomial as before.
  return removeKnots(Spline::trusted(p, std::move(U), std::move(P)), {1e-9}).curve;
}

Expected<Path> extendedNaturally(const Path& p, double length, const Context& cx) {
  std::vector<Segment> parts = p.segments();
  if (auto* line = std::get_if<LineSegment>(&parts.back())) {
    line->b += length * (line->b - line->a).normalized();
  } else if (auto* arc = std::get_if<EllipseArc>(&parts.back())) {
    const double sign = arc->toRad > arc->fromRad ? 1 : -1;
    // The angle at which the arc is longer by the length, to first order and then by Newton's steps.
    const ArcLength before(*Path::make({*arc}, {1e-12}));
    double more = length / std::max(arc->u.norm(), arc->v.norm());
    for (int it = 0; it < 20; ++it) {
      EllipseArc longer = *arc;
      longer.toRad += sign * more;
      const double off = ArcLength(*Path::make({longer}, {1e-12})).total() - before.total() - length;
      if (std::abs(off) < 1e-9) break;
      more -= off / (-std::sin(longer.toRad) * arc->u + std::cos(longer.toRad) * arc->v).norm();
    }
    if (const double whole = std::abs(arc->toRad - arc->fromRad) + more; whole >= 2 * kPi)
      return fail(problem("LM-P046", "the arc would run over itself")
                      .measure(millimetres(length))
                      .at(p.end())
                      .tryThis("extend by less, or straight"));
    arc->toRad += sign * more;
  } else {
    const Spline& c = std::get<Spline>(parts.back());
    CurveDerivatives d;
    c.derivatives(c.last(), 1, d);
    const Vec3 tangent = d[1].normalized();
    const double speed = d[1].norm();
    // How long the extension is up to a parameter, as long as it neither turns back nor speeds away.
    double u = c.last(), grown = 0;
    const auto breaks = breakpoints(c.knots(), c.degree());
    const double step = 0.02 * (breaks.back() - breaks[breaks.size() - 2]);
    const Spline probe = carriedOn(c, c.last() + 200 * step);
    Vec3 at = d[0];
    while (grown < length) {
      const double next = u + step;
      CurveDerivatives e;
      if (next <= probe.last()) probe.derivatives(next, 1, e);
      if (next > probe.last() || e[1].dot(tangent) <= 0 || e[1].norm() > 20 * speed || e[1].norm() < 0.05 * speed)
        return fail(problem("LM-P046", "the curve does not go on naturally that far: it turns back or breaks away")
                        .measure(millimetres(grown))
                        .want(millimetres(length))
                        .at(at)
                        .tryThis("extend straight or with its curvature, or by less"));
      const double piece = (e[0] - at).norm();
      if (grown + piece >= length) {
        u += step * (length - grown) / piece;
        grown = length;
      } else {
        u = next, grown += piece;
      }
      at = e[0];
    }
    parts.back() = carriedOn(c, u);
  }
  return Path::make(std::move(parts), cx.tolerances.point);
}

} // namespace

Expected<Spline> asSpline(const Segment& s, const Context& cx, bool closing) {
  if (const auto* c = std::get_if<Spline>(&s)) return *c;
  if (const auto* l = std::get_if<LineSegment>(&s)) {
    Points p(2, 3);
    p << l->a.transpose(), l->b.transpose();
    return Spline::trusted(1, uniformKnots(1, 1), std::move(p));
  }
  LUMSK_TRY(path, Path::make({s}, {1e-12}));
  LeanOptions o;
  o.fit = cx.tolerances.fit;
  CurveFamily f;
  f.curves = 1;
  f.closed = closing && path.closed();
  if (!f.closed) o.firstSpans = 1;
  f.sample = [&](double t, double* out) { Eigen::Map<Vec3>(out, 3) = path.at(t); };
  for (int end = 0; end < 2 && !f.closed; ++end) { // where it is mirrored or goes on there is no kink
    CurveDerivatives d;
    path.derivatives(end == 0 ? 0.0 : std::nextafter(path.last(), 0.0), 1, d);
    o.endDerivatives[size_t(end)] = d[1].transpose();
  }
  LUMSK_TRY(fit, fitLean(f, o));
  return fit.curve(0);
}

Expected<Path> extended(const Path& p, bool atEnd, Extension how, double lengthMm, const Context& cx) {
  if (p.closed()) return fail(closedHasNoEnd(p));
  if (!(lengthMm > cx.tolerances.point.mm) || lengthMm > kLargestCoordinate)
    return fail(problem("LM-P045", "an extension needs a length")
                    .measure(millimetres(lengthMm))
                    .at(atEnd ? p.end() : p.start())
                    .tryThis("take a length above nought"));
  const auto made = atLast(p, atEnd, [&](const Path& q) -> Expected<ChangedCurve> {
    if (how == Extension::Natural) {
      LUMSK_TRY(r, extendedNaturally(q, lengthMm, cx));
      return ChangedCurve{r};
    }
    const auto end = endOf(q, true);
    if (!end)
      return fail(
          problem("LM-P045", "the curve has no direction at its end").at(q.end()).tryThis("move its last points"));
    std::vector<Segment> parts = q.segments();
    const double k = end->second.norm();
    if (how == Extension::Straight || k * lengthMm < 1e-9) {
      parts.push_back(LineSegment{end->at, end->at + lengthMm * end->tangent});
    } else if (k * lengthMm >= 2 * kPi) {
      return fail(problem("LM-P046", "the circle of curvature would run over itself")
                      .measure(millimetres(lengthMm))
                      .want(millimetres(2 * kPi / k))
                      .at(end->at)
                      .tryThis("extend by less, or straight"));
    } else {
      const Vec3 out = -end->second / k, centre = end->at - out / k;
      parts.push_back(EllipseArc{centre, out / k, end->tangent / k, 0.0, k * lengthMm});
    }
    LUMSK_TRY(r, Path::make(std::move(parts), cx.tolerances.point));
    return ChangedCurve{r};
  });
  if (!made) return fail(made.error());
  return made->path;
}

Expected<ChangedCurve> endMoved(const Path& p, bool atEnd, const Vec3& to, const Context& cx) {
  if (p.closed()) return fail(closedHasNoEnd(p));
  return atLast(p, atEnd, [&](const Path& q) -> Expected<ChangedCurve> {
    const Vec3 by = to - q.end();
    std::vector<Segment> parts = q.segments();
    if (auto* line = std::get_if<LineSegment>(&parts.back())) {
      line->b = to;
    } else {
      LUMSK_TRY(c, asSpline(parts.back(), cx));
      if (c.size() < 4) c = elevate(c, 4 - c.size());
      const auto g = greville(c.knots(), c.degree());
      Points P = c.points();
      for (Eigen::Index i = 0; i < P.rows(); ++i) {
        // Nought with two derivatives at the far end: the joint there keeps its tangent and curvature.
        const double x = (g[size_t(i)] - c.first()) / (c.last() - c.first()), keep = i < 3 && i + 1 < P.rows() ? 0 : 1;
        P.row(i) += keep * x * x * x * by.transpose();
      }
      P.row(P.rows() - 1) = to.transpose();
      parts.back() = Spline::trusted(c.degree(), c.knots(), std::move(P));
    }
    LUMSK_TRY(r, Path::make(std::move(parts), cx.tolerances.point));
    return ChangedCurve{r, by.norm(), to};
  });
}

Expected<ChangedCurve> closedUp(const Path& p, const Context& cx) {
  if (p.closed()) return fail(closedHasNoEnd(p));
  const Vec3 middle = 0.5 * (p.start() + p.end());
  const double gap = (p.start() - p.end()).norm();
  LUMSK_TRY(first, endMoved(p, true, middle, cx));
  if (first.path.closed()) return ChangedCurve{first.path, gap, middle};
  LUMSK_TRY(both, endMoved(first.path, false, middle, cx));
  return ChangedCurve{both.path, 0.5 * gap, middle};
}

Expected<ChangedCurve> endMatched(const Path& p, bool atEnd, const BlendEnd& target, const Context& cx) {
  if (p.closed()) return fail(closedHasNoEnd(p));
  LUMSK_TRY(placed, endMoved(p, atEnd, target.at, cx));
  auto made = atLast(placed.path, !atEnd, [&](const Path& q) -> Expected<ChangedCurve> {
    // The end in question is the first point here.
    std::vector<Segment> parts = q.segments();
    LUMSK_TRY(c, asSpline(parts.front(), cx));
    const int k = target.continuity;
    if (c.degree() < k + 1) c = elevate(c, k + 1 - c.degree());
    // The far end keeps position, tangent and curvature: there must be room between.
    while (c.size() < k + 4) {
      const auto breaks = breakpoints(c.knots(), c.degree());
      c = insertKnot(c, 0.5 * (breaks[0] + breaks[1]));
    }
    CurveDerivatives d;
    c.derivatives(c.first(), 3, d);
    const double v = d[1].norm() * target.pull;
    const double v1 = d[2].dot(target.tangent) * target.pull * target.pull;
    const std::array<Vec3, 4> want{target.at, v * target.tangent, v * v * target.second + v1 * target.tangent,
                                   v * v * v * target.third + 3 * v * v1 * target.second +
                                       (d[3].dot(target.tangent) - v * v * v * target.third.dot(target.tangent)) *
                                           target.tangent};
    Points P = c.points();
    for (int j = 0; j <= k; ++j) {
      // Control point j is the only one of order j at the end that is not fixed yet.
      CurveDerivatives now;
      Spline trial = Spline::trusted(c.degree(), c.knots(), P);
      trial.derivatives(c.first(), j, now);
      BasisDerivatives basis;
      basisDerivatives(c.knots(), c.degree(), c.first(), j, basis);
      P.row(j) += ((want[j] - now[j]) / basis.value[j][j]).transpose();
    }
    parts.front() = Spline::trusted(c.degree(), c.knots(), std::move(P));
    LUMSK_TRY(r, Path::make(std::move(parts), cx.tolerances.point));
    return ChangedCurve{r};
  });
  if (!made) return made;
  const Deviation off = deviationFrom(made->path, p);
  made->movedMm = off.mm, made->movedAt = off.at;
  return made;
}

std::optional<BlendEnd> joiningEnd(const Path& to, const Vec3& near, const Vec3& direction) {
  constexpr double kAtEnd = 1e-9; ///< of a segment
  const ClosestOnPath at = closestPoint(to, near);
  CurveDerivatives d;
  to.derivatives(std::min(at.t, std::nextafter(to.last(), 0.0)), 3, d);
  const auto e = blendEnd(d, false);
  if (!e) return {};
  const bool last = at.t > to.last() - kAtEnd, first = at.t < kAtEnd;
  const bool backwards = !to.closed() && (last || first) ? first : e->tangent.dot(direction) < 0;
  return blendEnd(d, backwards);
}

std::optional<BlendEnd> endOf(const Path& p, bool atEnd) {
  CurveDerivatives d;
  p.derivatives(atEnd ? std::nextafter(p.last(), 0.0) : 0.0, 3, d);
  return blendEnd(d, !atEnd);
}

} // namespace lumsk::nurbs
