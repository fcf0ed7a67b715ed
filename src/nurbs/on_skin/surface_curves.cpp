#include "nurbs/on_skin/surface_curves.h"

#include "nurbs/curves/chains.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/section.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/fit/traced.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kBlock = 8;
constexpr double kNoughtMm2 = 1e-22;  ///< a squared distance that is rounding
constexpr double kFootMoves = 1e-11;  ///< of the domain: smaller steps of Newton's are below rounding
constexpr double kPlainNormal = 1e-4; ///< sine between the parameter lines from which their product is the normal

std::vector<double> sampleParameters(const Knots& U, int degree, bool many) {
  std::vector<double> out;
  const auto b = breakpoints(U, degree);
  const int per = std::clamp((many ? 48 : 24) / int(b.size() - 1), 2, 16);
  for (size_t k = 0; k + 1 < b.size(); ++k)
    for (int j = 0; j < per; ++j) out.push_back(b[k] + (b[k + 1] - b[k]) * j / per);
  out.push_back(b.back());
  return out;
}

} // namespace

NearestOnSurface::NearestOnSurface(const Surface& s) : s_(&s) {
  us_ = sampleParameters(s.knotsU(), s.degreeU(), true);
  vs_ = sampleParameters(s.knotsV(), s.degreeV(), true);
  std::vector<Vec3> normals;
  evaluateGrid(s, us_, vs_, at_, normals);
  const int nu = int(us_.size()), nv = int(vs_.size());
  for (int i = 0; i < nu; i += kBlock)
    for (int j = 0; j < nv; j += kBlock) {
      Block b{Vec3::Zero(), 0.0, i, std::min(nu, i + kBlock), j, std::min(nv, j + kBlock)};
      int n = 0;
      for (int x = b.i0; x < b.i1; ++x)
        for (int y = b.j0; y < b.j1; ++y, ++n) b.centre += at_[size_t(x * nv + y)];
      b.centre /= n;
      for (int x = b.i0; x < b.i1; ++x)
        for (int y = b.j0; y < b.j1; ++y) b.radius = std::max(b.radius, (at_[size_t(x * nv + y)] - b.centre).norm());
      blocks_.push_back(b);
    }
}

Vec2 NearestOnSurface::nearestSample(const Vec3& p) const {
  const int nv = int(vs_.size());
  double best = 1e300;
  int bi = 0, bj = 0;
  const auto look = [&](const Block& b) {
    for (int x = b.i0; x < b.i1; ++x)
      for (int y = b.j0; y < b.j1; ++y)
        if (const double d = (at_[size_t(x * nv + y)] - p).squaredNorm(); d < best) best = d, bi = x, bj = y;
  };
  // The block with the nearest centre first, so that most others need not be looked at.
  const Block* first = &blocks_.front();
  double nearest = 1e300;
  for (const Block& b : blocks_)
    if (const double d = (b.centre - p).norm() - b.radius; d < nearest) nearest = d, first = &b;
  look(*first);
  double reach = std::sqrt(best);
  for (const Block& b : blocks_)
    if (&b != first && (b.centre - p).norm() - b.radius < reach) {
      look(b);
      reach = std::sqrt(best);
    }
  return {us_[size_t(bi)], vs_[size_t(bj)]};
}

NearestOnSurface::Foot NearestOnSurface::foot(const Vec3& p) const {
  const Surface& s = *s_;
  Vec2 uv = nearestSample(p);
  const Vec2 low(s.firstU(), s.firstV()), high(s.lastU(), s.lastV());
  const auto held = [&](Vec2 q) {
    if (s.closedU()) {
      const double w = high.x() - low.x();
      q.x() -= w * std::floor((q.x() - low.x()) / w);
    }
    return Vec2(q.cwiseMax(low).cwiseMin(high));
  };
  SurfaceDerivatives d, ahead;
  s.derivatives(uv.x(), uv.y(), 2, d);
  double before = 0; // one step alone says nothing of the next
  for (int it = 0; it < 25; ++it) {
    const double before2 = (d(0, 0) - p).squaredNorm();
    const FootSystem at = downhillFootSystem(d, p);
    const Vec2& g = at.gradient;
    const Eigen::Matrix2d& J = at.bend;
    // Where a parameter is pushed against the border it stays, and the other one goes alone.
    const auto stuck = [&](int k) {
      if (k == 0 && s.closedU()) return false;
      return (uv[k] <= low[k] && g[k] > 0) || (uv[k] >= high[k] && g[k] < 0);
    };
    Vec2 step = Vec2::Zero();
    if (stuck(0) || stuck(1)) {
      for (int k : {0, 1})
        if (!stuck(k) && J(k, k) > 0) step[k] = -g[k] / J(k, k);
    } else {
      step = -J.inverse() * g;
    }
    Vec2 next = uv;
    int half = 0;
    for (; half <= 12; ++half, step *= 0.5) {
      next = held(uv + step);
      s.derivatives(next.x(), next.y(), 2, ahead);
      if ((ahead(0, 0) - p).squaredNorm() <= before2 * (1 + 1e-14) + kNoughtMm2) break;
    }
    Vec2 moved = next - uv;
    if (s.closedU()) moved.x() = std::remainder(moved.x(), high.x() - low.x());
    uv = next;
    std::swap(d, ahead);
    // Steps fall with the square of the one before.
    const double by = moved.cwiseQuotient(high - low).norm();
    if (by < kFootMoves || (half == 0 && by * by * by < kFootMoves * before * before)) break;
    before = half == 0 ? by : 0;
  }
  const Vec3 across = d(1, 0).cross(d(0, 1));
  const bool plain = across.norm() > kPlainNormal * d(1, 0).norm() * d(0, 1).norm();
  const Vec3 normal = plain ? Vec3(across.normalized()) : s.normal(uv.x(), uv.y());
  const Vec3 off = p - d(0, 0);
  const bool border =
      (!s.closedU() && (uv.x() <= low.x() || uv.x() >= high.x())) || uv.y() <= low.y() || uv.y() >= high.y();
  return {uv, d(0, 0), normal, off.norm(), border && (off - off.dot(normal) * normal).norm() > 1e-7};
}

Field planeField(const Surface& s, const Frame& plane) {
  const Vec3 o = plane.origin, n = plane.normal();
  return [&s, o, n](double u, double v) {
    SurfaceDerivatives d;
    s.derivatives(u, v, 1, d);
    const double h = (d(0, 0) - o).dot(n);
    return FieldValue{h, d(1, 0).dot(n), d(0, 1).dot(n), std::abs(h)};
  };
}

Field surfaceField(const Surface& s, std::shared_ptr<const NearestOnSurface> other) {
  return [&s, other](double u, double v) {
    SurfaceDerivatives d;
    s.derivatives(u, v, 1, d);
    const auto f = other->foot(d(0, 0));
    return FieldValue{(d(0, 0) - f.point).dot(f.normal), d(1, 0).dot(f.normal), d(0, 1).dot(f.normal), f.distanceMm};
  };
}

Field silhouetteField(const Surface& s, const Vec3& direction) {
  const Vec3 e = direction.normalized();
  return [&s, e](double u, double v) {
    SurfaceDerivatives d;
    s.derivatives(u, v, 2, d);
    const Vec3 w = d(1, 0).cross(d(0, 1));
    const double l = w.norm();
    if (!(l > 0)) return FieldValue{s.normal(u, v).dot(e), 0, 0, 0};
    const Vec3 n = w / l;
    const auto along = [&](const Vec3& x) { return (x - x.dot(n) * n).dot(e) / l; };
    const PrincipalCurvatures k = principalCurvatures(d);
    const double bend = std::max(std::abs(k.k1), std::abs(k.k2)), value = n.dot(e);
    return FieldValue{value, along(d(2, 0).cross(d(0, 1)) + d(1, 0).cross(d(1, 1))),
                      along(d(1, 1).cross(d(0, 1)) + d(1, 0).cross(d(0, 2))),
                      bend > 0 ? std::abs(value) / (2 * bend) : 1e300};
  };
}

Field distanceField(const Surface& s, std::shared_ptr<const Path> path, double mm) {
  return [&s, path, mm](double u, double v) {
    SurfaceDerivatives d;
    s.derivatives(u, v, 1, d);
    const ClosestOnPath c = closestPoint(*path, d(0, 0));
    const Vec3 out = c.distanceMm > 0 ? Vec3((d(0, 0) - c.point) / c.distanceMm) : Vec3(Vec3::Zero());
    const double value = c.distanceMm - mm;
    return FieldValue{value, d(1, 0).dot(out), d(0, 1).dot(out), std::abs(value)};
  };
}

double followStep(const Surface& s) {
  const Extent e = sampledBox(s);
  return (e.high - e.low).norm() / 40;
}

std::vector<std::pair<double, double>> stretchesWhere(const std::vector<double>& w,
                                                      const std::function<bool(double)>& holds) {
  const auto border = [&](double in, double out) {
    for (int it = 0; it < 50 && std::abs(in - out) > 1e-14; ++it) {
      const double m = 0.5 * (in + out);
      (holds(m) ? in : out) = m;
    }
    return in;
  };
  std::vector<std::pair<double, double>> found;
  bool before = false;
  for (size_t i = 0; i < w.size(); ++i) {
    const bool now = holds(w[i]);
    if (now && !before) found.emplace_back(i == 0 ? w[i] : border(w[i], w[i - 1]), w[i]);
    if (!now && before) found.back().second = border(w[i - 1], w[i]);
    if (now) found.back().second = std::max(found.back().second, w[i]);
    before = now;
  }
  return found;
}

Expected<CurvesOnSurface> zeroCurves(const Surface& s, const Field& f, double touch,
                                     const std::function<bool(const Vec2&)>& inside, const Context& cx) {
  ZeroOptions o;
  o.stepMm = followStep(s);
  o.touch = touch;
  LUMSK_TRY(set, zeroSet(s, f, o, cx));
  CurvesOnSurface out;
  for (const Vec2& t : set.touches)
    if (inside(t)) out.touches.push_back(s.at(t.x(), t.y()));
  for (const ZeroCurve& c : set.curves) {
    if (cx.stopped()) return fail(cancelled());
    const FollowedZero follower(s, f, c);
    if (!follower.usable()) continue;
    std::vector<double> w;
    for (size_t i = 0; i + 1 < follower.places().size(); ++i) {
      w.push_back(follower.places()[i]);
      w.push_back(0.5 * (follower.places()[i] + follower.places()[i + 1]));
    }
    w.push_back(follower.places().back());
    const auto stretches = stretchesWhere(w, [&](double x) { return inside(follower.uv(x)); });
    for (const auto& [a, b] : stretches) {
      PointFunction p;
      p.at = [&](double x) { return follower.at(x); };
      p.stops = {a, b};
      p.looks = follower.places();
      p.closed = c.closed && a <= 0 && b >= 1;
      double reach = 0; // from its start
      for (int k = 1; k <= 4; ++k) reach = std::max(reach, (p.at(a + k * (b - a) / 4) - p.at(a)).norm());
      if (reach <= 2 * cx.tolerances.point.mm) {
        out.touches.push_back(p.at(a));
        continue;
      }
      LUMSK_TRY(fit, fitTraced(p, cx.tolerances.fit));
      LUMSK_TRY(path, Path::make({fit.curve}, cx.tolerances.point));
      out.curves.push_back({std::move(path), fit.deviationMm, c.contact});
    }
  }
  return out;
}

std::vector<std::pair<double, double>> stretchesWhere(double first, double last, int samples,
                                                      const std::function<bool(double)>& holds) {
  std::vector<double> w;
  for (int i = 0; i <= samples; ++i) w.push_back(first + (last - first) * i / samples);
  return stretchesWhere(w, holds);
}

std::vector<Path> assembled(const std::vector<Path>& pieces, double gapMm, const Tolerances& tol) {
  std::vector<Vec3> nodes;
  const auto node = [&](const Vec3& p) {
    for (size_t i = 0; i < nodes.size(); ++i)
      if ((nodes[i] - p).norm() <= gapMm) return int(i);
    nodes.push_back(p);
    return int(nodes.size()) - 1;
  };
  std::vector<Path> out;
  std::vector<const Path*> open;
  std::vector<std::array<int, 2>> ends;
  for (const Path& p : pieces) {
    if (p.closed()) {
      out.push_back(p);
      continue;
    }
    open.push_back(&p);
    const int a = node(p.start());
    ends.push_back({a, node(p.end())});
  }
  const auto leaving = [&](int arc, bool first) {
    CurveDerivatives d;
    open[arc]->derivatives(first ? 0.0 : std::nextafter(open[arc]->last(), 0.0), 1, d);
    return Vec3(first ? d[1].normalized() : Vec3(-d[1].normalized()));
  };
  for (const Chain& c : chainsOf(ends, leaving)) {
    std::vector<Segment> segments;
    for (const ChainLink& l : c.links) {
      const Path p = l.forward ? *open[l.arc] : reversed(*open[l.arc]);
      segments.insert(segments.end(), p.segments().begin(), p.segments().end());
    }
    if (auto p = Path::make(std::move(segments), {std::max(tol.point.mm, gapMm)}))
      out.push_back(std::move(*p));
    else // what cannot be put together stays in pieces: nothing that was found is lost
      for (const ChainLink& l : c.links) out.push_back(*open[l.arc]);
  }
  return out;
}

Surface extrudedSurface(const Spline& c, const Vec3& from, const Vec3& to) {
  Points grid(2 * c.size(), 3);
  for (int i = 0; i < c.size(); ++i) {
    grid.row(2 * i) = c.points().row(i) + from.transpose();
    grid.row(2 * i + 1) = c.points().row(i) + to.transpose();
  }
  return Surface::trusted(c.degree(), 1, c.knots(), uniformKnots(1, 1), std::move(grid), c.closed());
}

} // namespace lumsk::nurbs
