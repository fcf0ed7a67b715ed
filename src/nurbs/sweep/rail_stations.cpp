#include "nurbs/sweep/rail_stations.h"

#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/meet.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr int kProfileLooks = 16;  ///< of every segment
constexpr int kRailLooks = 96;     ///< of every segment, for crossings of a plane
constexpr double kFlat = 1e-3;     ///< of a profile's size: it counts as planar
constexpr double kTouches = 1e-9;  ///< mm from a plane: it is in it
constexpr double kNearEnd = 1e-7;  ///< of a rail: a station there is at its end

/// Parameters at which a path crosses a plane.
std::vector<double> crossingsOf(const Path& path, const Frame& plane) {
  std::vector<double> out;
  const auto height = [&](double t) { return plane.local(path.at(t)).z(); };
  const int n = kRailLooks * int(path.segments().size());
  double before = height(0.0);
  const auto touches = [&](double h) { return std::abs(h) < kTouches; };
  if (touches(before)) out.push_back(0.0);
  for (int i = 1; i <= n; ++i) {
    const double a = path.last() * (i - 1) / n, b = path.last() * i / n, now = height(b);
    if (touches(now) && !(path.closed() && i == n)) {
      out.push_back(b);
    } else if (before * now < 0 && !touches(before)) {
      double low = a, high = b;
      for (int k = 0; k < 60; ++k) {
        const double m = 0.5 * (low + high);
        (height(m) * before > 0 ? low : high) = m;
      }
      out.push_back(0.5 * (low + high));
    }
    before = now;
  }
  return out;
}

/// Fraction of a closed path's length, forwards, from one to another.
double forwards(double from, double to) { return to - from - std::floor(to - from); }

} // namespace

Station stationOf(const Section& profile, const Path& rail, LengthTolerance point) {
  Station out;
  const ArcLength length(rail);
  double t = 0;
  const auto place = [&](double at) {
    t = at;
    out.onRail = rail.at(at);
  };
  if (const Vec3* p = profile.point()) {
    place(closestPoint(rail, *p).t);
    out.onProfile = *p;
  } else {
    const Path& path = *profile.path();
    const Points pts = polyline(path, 16);
    const double size = (pts.colwise().maxCoeff() - pts.colwise().minCoeff()).norm();
    const PlaneOfPoints plane = fitPlane(pts);
    std::optional<double> best;
    if (plane.unique && plane.deviationMm < std::max(kFlat * size, 10 * point.mm)) {
      for (double at : crossingsOf(rail, plane.frame)) {
        const double d = closestPoint(path, rail.at(at)).distanceMm;
        if (!best || d < *best) best = d, place(at);
      }
    }
    const Meeting near = nearest(MeetingSide(path), MeetingSide(rail));
    // A plane that crosses the rail far away says nothing where the profile itself lies beside it.
    if (!best || *best > 2 * near.gapMm + size) place(near.t);
    const ClosestOnPath on = closestPoint(path, out.onRail);
    out.onProfile = on.point;
    out.ownFraction = ArcLength(path).fractionAt(on.t);
  }
  out.gapMm = (out.onProfile - out.onRail).norm();
  out.fraction = length.fractionAt(t);
  if (rail.closed()) {
    if (out.fraction > 1 - kNearEnd) out.fraction = 0;
  } else if (out.fraction < kNearEnd || out.fraction > 1 - kNearEnd) {
    out.fraction = std::round(out.fraction);
  }
  return out;
}

double reachMm(const Section& profile, const Station& at) {
  const Path* p = profile.path();
  if (!p) return at.gapMm;
  return (polyline(*p, kProfileLooks).rowwise() - at.onRail.transpose()).rowwise().norm().maxCoeff();
}

double leanDeg(const Section& profile, const Path& rail, const Station& at) {
  const Path* p = profile.path();
  const PlaneOfPoints plane = p ? fitPlane(polyline(*p, kProfileLooks)) : PlaneOfPoints{{}, false};
  if (!p || !plane.unique) return 0;
  CurveDerivatives d;
  rail.derivatives(std::min(closestPoint(rail, at.onRail).t, std::nextafter(rail.last(), 0.0)), 1, d);
  const double angle = degFromRad(angleBetweenRad(plane.frame.normal(), d[1]));
  return std::min(angle, 180 - angle);
}

Expected<Path> mapped(const Path& p, const Eigen::Affine3d& map, LengthTolerance point) {
  std::vector<Segment> out;
  for (const Segment& s : p.segments()) {
    if (const auto* l = std::get_if<LineSegment>(&s)) {
      out.push_back(LineSegment{map * l->a, map * l->b});
    } else if (const auto* a = std::get_if<EllipseArc>(&s)) {
      out.push_back(EllipseArc{map * a->centre, map.linear() * a->u, map.linear() * a->v, a->fromRad, a->toRad});
    } else {
      const Spline& c = std::get<Spline>(s);
      Points pts = c.points();
      for (Eigen::Index i = 0; i < pts.rows(); ++i) pts.row(i) = (map * Vec3(pts.row(i).transpose())).transpose();
      out.push_back(Spline::trusted(c.degree(), c.knots(), std::move(pts), c.closed()));
    }
  }
  const double grown = map.linear().colwise().norm().maxCoeff(); // gaps at joints grow as the path does
  return Path::make(std::move(out), {grown * point.mm});
}

std::optional<std::array<Path, 2>> bothSides(const Path& closed, const std::vector<Section>& profiles,
                                             const std::vector<Vec3>& dividedAt, LengthTolerance gap,
                                             LengthTolerance point) {
  if (!closed.closed()) return {};
  const ArcLength length(closed);
  // Where both ends of every profile lie on it, as fractions of its length.
  std::vector<std::array<double, 2>> ends;
  for (const Section& s : profiles) {
    const Path* p = s.path();
    if (!p || p->closed()) return {};
    const ClosestOnPath a = closestPoint(closed, p->start()), b = closestPoint(closed, p->end());
    if (std::max(a.distanceMm, b.distanceMm) > std::max(gap.mm, point.mm) || a.t == b.t) return {};
    ends.push_back({length.fractionAt(a.t), length.fractionAt(b.t)});
  }
  if (ends.empty()) return {};
  std::array<double, 2> cut{}; // rails run from the first to the second, one each way
  const double from = ends.front()[0], across = forwards(from, ends.front()[1]);
  if (dividedAt.size() == 2) {
    for (size_t k : {0, 1}) cut[k] = length.fractionAt(closestPoint(closed, dividedAt[k]).t);
  } else if (ends.size() == 1) {
    cut = {from - 0.5 * (1 - across), from + 0.5 * across};
  } else {
    // From the first profile to the last: one rail between the ends on one side, one on the other.
    std::array<double, 2> last = ends.back();
    if (forwards(from, last[0]) > forwards(from, last[1])) std::swap(last[0], last[1]);
    // Going on from the first one's start, the last one's end that comes first lies on the same side.
    const bool ahead = forwards(from, last[0]) < across;
    const auto part = [&](double a, double b) {
      return pathPortion(closed, length.parameterAtFraction(a - std::floor(a)), length.parameterAtFraction(b - std::floor(b)), point);
    };
    const auto one = ahead ? part(from, last[0]) : part(last[1], from);
    const auto two = ahead ? part(last[1], ends.front()[1]) : part(ends.front()[1], last[0]);
    if (!one || !two) return {};
    return std::array<Path, 2>{ahead ? *one : reversed(*one), ahead ? reversed(*two) : *two};
  }
  const auto part = [&](double a, double b) {
    return pathPortion(closed, length.parameterAtFraction(a - std::floor(a)), length.parameterAtFraction(b - std::floor(b)), point);
  };
  const auto one = part(cut[0], cut[1]), two = part(cut[1], cut[0]);
  if (!one || !two) return {};
  // The first one is that on which the first profile starts.
  const bool holds = forwards(cut[0], from) < forwards(cut[0], cut[1]);
  const Path back = reversed(*two);
  return holds ? std::array<Path, 2>{*one, back} : std::array<Path, 2>{back, *one};
}

} // namespace lumsk::nurbs
