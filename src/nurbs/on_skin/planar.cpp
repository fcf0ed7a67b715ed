#include "nurbs/on_skin/planar.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/meet.h"
#include "nurbs/on_skin/surface_curves.h"
#include "nurbs/fit/traced.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kOnPlaneTolerances = 10;

Expected<void> checkPlanar(const Path& p, const Frame& plane, const Tolerances& tol) {
  const Points pts = polyline(p, 12);
  Eigen::Index at = 0;
  const double off = ((pts.rowwise() - plane.origin.transpose()) * plane.normal()).cwiseAbs().maxCoeff(&at);
  if (off <= kOnPlaneTolerances * tol.point.mm) return {};
  return fail(problem("LM-P051", "this needs a planar curve")
                  .measure(millimetres(off))
                  .want(millimetres(kOnPlaneTolerances * tol.point.mm))
                  .at(pts.row(at).transpose())
                  .tryThis("project it onto a plane first"));
}

/// How fast the offset runs compared with the segment: below nought it runs backwards.
double offsetPace(const Path& one, double t, const Vec3& normal, double d) {
  CurveDerivatives e;
  one.derivatives(std::min(t, std::nextafter(1.0, 0.0)), 2, e);
  return 1 - d * normal.dot(e[1].cross(e[2])) / std::pow(e[1].norm(), 3);
}

/// The stretches of a segment whose offset runs forwards, between the cusps where the distance passes the radius of
/// curvature. What runs backwards lies nearer than the distance.
std::vector<std::pair<double, double>> forwardStretches(const Path& one, const Vec3& normal, double d) {
  constexpr int kSamples = 1000;
  return stretchesWhere(0.0, 1.0, kSamples, [&](double t) { return offsetPace(one, t, normal, d) > 0; });
}

/// One piece at a distance, which runs forwards throughout.
Expected<Segment> offsetSegment(const Segment& s, const Vec3& normal, double d, double& deviation, const Context& cx) {
  if (const auto* l = std::get_if<LineSegment>(&s)) {
    const Vec3 side = d * normal.cross(l->b - l->a).normalized();
    return LineSegment{l->a + side, l->b + side};
  }
  if (const auto* a = std::get_if<EllipseArc>(&s); a && a->circular()) {
    const double turn = a->u.cross(a->v).dot(normal) * (a->toRad - a->fromRad) > 0 ? 1 : -1;
    const double scale = (a->u.norm() - turn * d) / a->u.norm();
    return EllipseArc{a->centre, scale * a->u, scale * a->v, a->fromRad, a->toRad};
  }
  LUMSK_TRY(one, Path::make({s}, {1e-12}));
  PointFunction f;
  f.stops = {0.0, 1.0};
  f.at = [&](double t) {
    CurveDerivatives e;
    one.derivatives(std::min(t, std::nextafter(1.0, 0.0)), 1, e);
    return Vec3(e[0] + d * normal.cross(e[1]).normalized());
  };
  f.closed = one.closed() && one.corners({1.0}).empty();
  LUMSK_TRY(fit, fitTraced(f, cx.tolerances.fit));
  deviation = std::max(deviation, fit.deviationMm);
  return fit.curve;
}

double turnAt(const Vec3& in, const Vec3& out, const Vec3& normal) {
  return std::atan2(normal.dot(in.cross(out)), in.dot(out));
}

/// The offset of every segment, with arcs or tips in outer corners: curves that may cross themselves and each other.
Expected<std::vector<Path>> rawOffset(const Path& p, const Vec3& n, double d, OffsetCorner corner, double& deviation,
                                      const Context& cx) {
  std::vector<Path> out;
  const int count = int(p.segments().size());
  const auto add = [&](const Segment& s) {
    if (auto q = Path::make({s}, {1e-7})) out.push_back(std::move(*q));
  };
  for (int i = 0; i < count; ++i) {
    LUMSK_TRY(one, Path::make({p.segments()[size_t(i)]}, {1e-12}));
    for (const auto& [from, to] : forwardStretches(one, n, d)) {
      LUMSK_TRY(part, from <= 0 && to >= 1 ? Expected<Path>(one) : pathPortion(one, from, to, {1e-12}));
      LUMSK_TRY(s, offsetSegment(part.segments().front(), n, d, deviation, cx));
      add(s);
    }
    if (i + 1 == count && !p.closed()) break;
    CurveDerivatives e;
    p.derivatives(double((i + 1) % count), 1, e);
    const Vec3 in = p.tangentBefore(i + 1).normalized(), next = e[1].normalized(), at = e[0];
    const double turn = turnAt(in, next, n);
    if (std::abs(turn) < 1e-6 || turn * d > 0) continue; // smooth, or an inner corner
    const Vec3 u = d * n.cross(in), v = d * n.cross(next);
    if (corner == OffsetCorner::Sharp && std::abs(turn) < radFromDeg(170)) {
      const double reach = std::abs(d) * std::tan(0.5 * std::abs(turn));
      add(LineSegment{at + u, at + u + reach * in});
      add(LineSegment{at + v - reach * next, at + v});
    } else {
      const double side = turn > 0 ? 1 : -1;
      add(EllipseArc{at, u, side * n.cross(u), 0.0, std::abs(turn)});
    }
  }
  return out;
}

/// Parameters of every piece at which it crosses another one or itself.
std::vector<std::vector<double>> crossingsAmong(const std::vector<Path>& pieces, const Context& cx) {
  constexpr int kParts = 12; ///< of a freeform piece: none of them crosses itself
  struct Part {
    size_t piece;
    double from, to;
    Path path;
  };
  std::vector<Part> parts;
  for (size_t i = 0; i < pieces.size(); ++i) {
    const int n = std::holds_alternative<Spline>(pieces[i].segments().front()) ? kParts : 1;
    for (int k = 0; k < n; ++k) {
      const double a = pieces[i].last() * k / n, b = pieces[i].last() * (k + 1) / n;
      if (auto p = n == 1 ? Expected<Path>(pieces[i]) : pathPortion(pieces[i], a, b, {1e-9}))
        parts.push_back({i, a, b, std::move(*p)});
    }
  }
  std::vector<MeetingSide> sides;
  sides.reserve(parts.size());
  for (const Part& p : parts) sides.emplace_back(p.path);
  std::vector<std::vector<double>> cuts(pieces.size());
  for (size_t i = 0; i < parts.size(); ++i)
    for (size_t j = i + 1; j < parts.size(); ++j)
      for (const Meeting& m : meetings(sides[i], sides[j], 2 * cx.tolerances.point.mm).list) {
        const Part &p = parts[i], &q = parts[j];
        const double s = p.from + m.s / p.path.last() * (p.to - p.from),
                     t = q.from + m.t / q.path.last() * (q.to - q.from);
        // Neighbouring parts of one piece share an end.
        const double apart = std::abs(s - t), whole = pieces[p.piece].last();
        if (p.piece == q.piece && (apart < 1e-6 || (pieces[p.piece].closed() && whole - apart < 1e-6))) continue;
        cuts[p.piece].push_back(s);
        cuts[q.piece].push_back(t);
      }
  return cuts;
}

} // namespace

Expected<OffsetCurves> offsetInPlane(const Path& p, const Frame& plane, double distanceMm, OffsetCorner corner,
                                     const Context& cx) {
  LUMSK_CHECK(checkPlanar(p, plane, cx.tolerances));
  OffsetCurves out;
  LUMSK_TRY(raw, rawOffset(p, plane.normal(), distanceMm, corner, out.deviationMm, cx));
  // Cut everything where it crosses, and keep what is as far away as it should be.
  const std::vector<std::vector<double>> cuts = crossingsAmong(raw, cx);
  std::vector<Path> kept;
  const double near = std::abs(distanceMm) - 10 * cx.tolerances.fit.mm;
  for (size_t i = 0; i < raw.size(); ++i) {
    std::vector<Path> parts{raw[i]};
    if (!cuts[i].empty())
      if (auto split = splitAt(raw[i], cuts[i], cx.tolerances.point)) parts = std::move(*split);
    for (Path& q : parts) {
      bool far = true;
      for (double f : {0.21, 0.5, 0.83}) far = far && closestPoint(p, q.at(f * q.last())).distanceMm >= near;
      if (far) kept.push_back(std::move(q));
    }
  }
  out.curves = assembled(kept, 3 * cx.tolerances.point.mm, cx.tolerances);
  out.curves.erase(std::remove_if(out.curves.begin(), out.curves.end(),
                                  [&](const Path& q) { return ArcLength(q).total() < 20 * cx.tolerances.point.mm; }),
                   out.curves.end());
  if (out.curves.empty())
    return fail(problem("LM-P052", "nothing is left at this distance: the curve is too narrow")
                    .measure(millimetres(std::abs(distanceMm)))
                    .at(p.start())
                    .tryThis("take a smaller distance, or the other side"));
  std::sort(out.curves.begin(), out.curves.end(),
            [](const Path& a, const Path& b) { return ArcLength(a).total() > ArcLength(b).total(); });
  return out;
}

namespace {

/// The arc of a radius that is tangent to two pieces that meet in a corner, as parameters on both.
struct Fillet {
  double s = 0, t = 0;
  Segment arc;
};

std::optional<Fillet> filletBetween(const Path& a, const Path& b, const Vec3& n, double radius, double turn) {
  // Both at the distance of the radius towards the inside of the corner; where they meet is the arc's centre.
  const double side = turn > 0 ? 1 : -1;
  const auto centreOf = [&](const Path& p, double t) {
    CurveDerivatives d;
    p.derivatives(std::clamp(t, 0.0, std::nextafter(p.last(), 0.0)), 2, d);
    const Vec3 left = n.cross(d[1]).normalized();
    const double k = n.dot(d[1].cross(d[2])) / std::pow(d[1].norm(), 3);
    return std::make_pair(Vec3(d[0] + side * radius * left), Vec3((1 - side * radius * k) * d[1]));
  };
  // Newton's steps from the setback that straight sides would have.
  const double back = radius * std::tan(0.5 * std::abs(turn)), la = ArcLength(a).total(), lb = ArcLength(b).total();
  double s = a.last() * std::max(0.0, 1 - back / la), t = b.last() * std::min(1.0, back / lb);
  for (int it = 0; it < 40; ++it) {
    const auto [p, dp] = centreOf(a, s);
    const auto [q, dq] = centreOf(b, t);
    const Vec3 r = p - q;
    const Vec3 e1 = dp.normalized(), e2 = n.cross(e1);
    const double a11 = dp.dot(e1), a12 = -dq.dot(e1), a21 = dp.dot(e2), a22 = -dq.dot(e2), det = a11 * a22 - a12 * a21;
    if (std::abs(det) < 1e-14) return {};
    const double ds = -(r.dot(e1) * a22 - r.dot(e2) * a12) / det, dt = -(a11 * r.dot(e2) - a21 * r.dot(e1)) / det;
    s += std::clamp(ds, -0.2 * a.last(), 0.2 * a.last());
    t += std::clamp(dt, -0.2 * b.last(), 0.2 * b.last());
    if (std::abs(ds) + std::abs(dt) < 1e-13) break;
  }
  if (!(s > 1e-9 && s < a.last() && t > 0 && t < b.last() - 1e-9)) return {};
  const Vec3 centre = centreOf(a, s).first;
  if ((centre - centreOf(b, t).first).norm() > 1e-7) return {};
  const Vec3 u = a.at(s) - centre, v = b.at(t) - centre, w = side * n.cross(u);
  double angle = std::atan2(v.dot(w), v.dot(u));
  if (angle < 0) angle += 2 * kPi;
  return Fillet{s, t, EllipseArc{centre, u, w, 0.0, angle}};
}

} // namespace

Expected<std::vector<Path>> bandAlong(const Path& p, const Frame& plane, double leftMm, double rightMm, const Context& cx) {
  const double none = cx.tolerances.point.mm;
  const auto side = [&](double d) -> Expected<Path> {
    if (std::abs(d) <= none) return p;
    LUMSK_TRY(off, offsetInPlane(p, plane, d, OffsetCorner::Round, cx));
    // One that lost an end, or fell apart, went round a bend that is tighter than it is wide.
    const Path& one = off.curves.front();
    const auto endOff = [&](bool first) {
      CurveDerivatives e;
      p.derivatives(first ? 0.0 : p.last(), 1, e);
      const Vec3 along = first || p.closed() ? e[1] : p.tangentBefore(p.last());
      return ((first ? p.start() : p.end()) + d * plane.normal().cross(along).normalized() - (first ? one.start() : one.end())).norm();
    };
    const double kBy = 10 * none;
    if (off.curves.size() == 1 && one.closed() == p.closed() && (p.closed() || (endOff(true) < kBy && endOff(false) < kBy))) return one;
    return fail(problem("LM-P059", "a side of the wall folds: the line turns more tightly than that").measure(millimetres(std::abs(d))).at(off.curves.size() > 1 ? off.curves[1].start() : one.start()).tryThis("make the wall narrower, or the line calmer"));
  };
  LUMSK_TRY(left, side(leftMm));
  LUMSK_TRY(right, side(-rightMm));
  if (p.closed()) {
    const bool leftIsOuter = fitPlane(polyline(p, 16)).frame.normal().dot(plane.normal()) < 0;
    return std::vector<Path>{leftIsOuter ? left : right, leftIsOuter ? right : left};
  }
  std::vector<Segment> around = right.segments();
  const Path back = reversed(left);
  around.push_back(LineSegment{right.end(), back.start()});
  around.insert(around.end(), back.segments().begin(), back.segments().end());
  around.push_back(LineSegment{back.end(), right.start()});
  LUMSK_TRY(band, Path::make(std::move(around), cx.tolerances.point));
  if (const auto at = selfCrossings(band, cx.tolerances.point); !at.empty())
    return fail(problem("LM-P059", "the sides of the wall run into one another").at(at.front()).tryThis("make the wall narrower, or move the line apart"));
  return std::vector<Path>{std::move(band)};
}

Expected<Path> roundedCorners(const Path& p, double radiusMm, const Context& cx) {
  const std::vector<double> corners = p.corners(cx.tolerances.corner);
  if (corners.empty())
    return fail(problem("LM-P053", "the curve has no corners").at(p.start()).tryThis("pick a chain with corners"));
  LUMSK_TRY(pieces, splitAt(p, corners, cx.tolerances.point));
  const int n = int(pieces.size());
  std::vector<double> first(size_t(n), 0.0), last;
  for (const Path& q : pieces) last.push_back(q.last());
  std::vector<std::optional<Segment>> arcs{size_t(n)};
  for (int i = 0; i < n; ++i) {
    const int k = (i + 1) % n;
    if (k == 0 && !p.closed()) break;
    const Path &a = pieces[size_t(i)], &b = pieces[size_t(k)];
    CurveDerivatives d;
    b.derivatives(0.0, 1, d);
    const Vec3 in = a.tangentBefore(a.last()).normalized(), out = d[1].normalized();
    const Vec3 normal = in.cross(out).normalized();
    LUMSK_CHECK(checkPlanar(a, {d[0], in, normal.cross(in)}, cx.tolerances));
    LUMSK_CHECK(checkPlanar(b, {d[0], in, normal.cross(in)}, cx.tolerances));
    const auto f = filletBetween(a, b, normal, radiusMm, angleBetweenRad(in, out));
    if (!f || f->s <= first[size_t(i)] || f->t >= last[size_t(k)])
      return fail(problem("LM-P054", "the radius does not fit into this corner")
                      .measure(millimetres(radiusMm))
                      .at(d[0])
                      .tryThis("take a smaller radius"));
    last[size_t(i)] = f->s, first[size_t(k)] = f->t, arcs[size_t(i)] = f->arc;
  }
  std::vector<Segment> segments;
  for (int i = 0; i < n; ++i) {
    if (first[size_t(i)] >= last[size_t(i)])
      return fail(problem("LM-P054", "two rounded corners overlap here")
                      .measure(millimetres(radiusMm))
                      .at(pieces[size_t(i)].at(0.5 * pieces[size_t(i)].last()))
                      .tryThis("take a smaller radius"));
    if (auto part = pathPortion(pieces[size_t(i)], first[size_t(i)], last[size_t(i)], {1e-9}))
      segments.insert(segments.end(), part->segments().begin(), part->segments().end());
    if (arcs[size_t(i)]) segments.push_back(*arcs[size_t(i)]);
  }
  return Path::make(std::move(segments), cx.tolerances.point);
}

Expected<Path> conic(const Vec3& a, const Vec3& corner, const Vec3& b, double rho, const Context& cx) {
  if (!(rho >= 0.02 && rho <= 0.98))
    return fail(problem("LM-P055", "rho is out of range").measure(ratio(rho)).tryThis("take 0.02 to 0.98"));
  if ((corner - a).cross(b - a).norm() <= cx.tolerances.point.mm * (b - a).norm())
    return fail(problem("LM-P055", "the three points are on one line").at(corner).tryThis("move the corner aside"));
  // Rational quadratic with middle weight w = rho / (1 - rho) (Piegl & Tiller 1997, 7.3).
  const double w = rho / (1 - rho);
  PointFunction f;
  f.stops = {0.0, 1.0};
  f.at = [&](double t) {
    const double x = (1 - t) * (1 - t), y = 2 * t * (1 - t) * w, z = t * t;
    return Vec3((x * a + y * corner + z * b) / (x + y + z));
  };
  LUMSK_TRY(fit, fitTraced(f, cx.tolerances.fit));
  return Path::make({fit.curve}, cx.tolerances.point);
}

} // namespace lumsk::nurbs
