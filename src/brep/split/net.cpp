#include "brep/split/net.h"

#include "brep/convert.h"

#include <Geom_Plane.hxx>
#include <TopoDS.hxx>
#include <gp_Pln.hxx>

#include <algorithm>

namespace lumsk::brep::split {

namespace {

constexpr double kBeyondMm = 1e-6;     ///< feet on a border: further off sideways the place lies beyond it
constexpr int kLeastSamples = 64;      ///< of a spline, for its nearest place
constexpr int kNewtonSteps = 12;

/// The nearest place of a curve over [first, last]: samples, then Newton's steps from all that may lie beside it.
template <class At, class Derivatives>
OnSpline nearest(double first, double last, int samples, const Vec3& p, At at, Derivatives derivatives) {
  std::vector<double> away;
  for (int i = 0; i <= samples; ++i) away.push_back((at(first + (last - first) * i / samples) - p).norm());
  OnSpline best{first, 1e300};
  const double least = *std::min_element(away.begin(), away.end());
  const auto polish = [&](double t) {
    for (int it = 0; it < kNewtonSteps; ++it) {
      Vec3 c, d1, d2;
      derivatives(t, c, d1, d2);
      const Vec3 r = c - p;
      const double slope = r.dot(d1), bend = d1.squaredNorm() + r.dot(d2);
      if (!(bend > 0)) break;
      const double next = std::clamp(t - slope / bend, first, last);
      if (std::abs(next - t) < 1e-15 * (last - first)) break;
      t = next;
    }
    return t;
  };
  for (int i = 0; i <= samples; ++i) {
    const double a = away[size_t(i)];
    const double before = away[size_t(std::max(i - 1, 0))], after = away[size_t(std::min(i + 1, samples))];
    if (a > before || a > after || a > least + std::max(before, after) - a) continue;
    const double t0 = first + (last - first) * i / samples, t = polish(t0), d = (at(t) - p).norm();
    if (a < best.distanceMm) best = {t0, a};
    if (d < best.distanceMm) best = {t, d};
  }
  return best;
}

} // namespace

OnSpline nearestOn(const nurbs::Spline& c, const Vec3& p) {
  return nearest(
      c.first(), c.last(), std::max(kLeastSamples, 4 * c.size()), p, [&](double t) { return c.at(t); },
      [&](double t, Vec3& at, Vec3& d1, Vec3& d2) {
        nurbs::CurveDerivatives d;
        c.derivatives(t, 2, d);
        at = d[0], d1 = d[1], d2 = d[2];
      });
}

OnSpline nearestOn(const OldEdge& e, const Vec3& p) {
  return nearest(
      e.first, e.last, kLeastSamples, p, [&](double t) { return toVec(e.curve->Value(t)); },
      [&](double t, Vec3& at, Vec3& d1, Vec3& d2) {
        gp_Pnt q;
        gp_Vec a, b;
        e.curve->D2(t, q, a, b);
        at = toVec(q), d1 = toVec(a), d2 = toVec(b);
      });
}

Sheet::Sheet(FaceSpline s) : spline(std::move(s)), surface(spline.surface().get()) {
  shape = TopoDS::Face(spline.shape().Oriented(TopAbs_FORWARD));
  orientation = spline.shape().Orientation();
  scale = nurbs::domainScale(*surface);
  stepMm = nurbs::followStep(*surface);
  box = nurbs::enclosingBox(*surface);
  if (const auto g = Handle(Geom_Plane)::DownCast(BRep_Tool::Surface(shape)); !g.IsNull()) {
    const gp_Ax3 ax = g->Pln().Position();
    plane = Frame{toVec(ax.Location()), toVec(ax.XDirection().XYZ()), toVec(ax.YDirection().XYZ())};
  }
}

const std::shared_ptr<const nurbs::NearestOnSurface>& Sheet::feet() const {
  if (!feet_) feet_ = std::make_shared<const nurbs::NearestOnSurface>(*surface);
  return feet_;
}

Sheet::Foot Sheet::foot(const Vec3& p) const {
  if (plane) {
    const Vec3 l = plane->local(p);
    const Vec2 uv = spline.place({l.x(), l.y()});
    const bool in = (uv.array() >= -1e-9).all() && (uv.array() <= 1 + 1e-9).all();
    return {p - l.z() * plane->normal(), plane->normal(), uv, l.z(), !in};
  }
  const auto f = feet()->foot(p);
  const Vec3 off = p - f.point;
  const double height = off.dot(f.normal);
  return {f.point, f.normal, f.uv, height, f.beyond && (off - height * f.normal).norm() > kBeyondMm};
}

bool Sheet::covers(const Vec3& p) const {
  const Foot f = foot(p);
  return !f.beyond && spline.inside(f.uv);
}

nurbs::Field Sheet::fieldOn(const nurbs::Surface& other) const {
  return plane ? nurbs::planeField(other, *plane) : nurbs::surfaceField(other, feet());
}

bool Sheet::near(const nurbs::Extent& o, double mm) const {
  return ((box.low.array() - mm) <= o.high.array()).all() && ((o.low.array() - mm) <= box.high.array()).all();
}

Vec2 Sheet::imageOf(const EdgeUse& u, double t) const {
  const gp_Pnt2d p = u.image->Value(t);
  return inMm(spline.place({p.X(), p.Y()}));
}

int Net::vertexAt(const Vec3& p, double mm) {
  int best = -1;
  double nearest = 1e300;
  for (size_t i = 0; i < vertices.size(); ++i)
    if (const double d = (vertices[i].at - p).norm(); d < std::max(mm, vertices[i].toleranceMm) && d < nearest)
      best = int(i), nearest = d;
  if (best >= 0) return best;
  vertices.push_back({p});
  return int(vertices.size()) - 1;
}

std::vector<int> Net::edgesAround(const Cut& c) const {
  std::vector<int> out;
  for (int s : {c.sheet, c.other})
    if (s >= 0)
      for (const EdgeUse& u : sheets[size_t(s)].border) out.push_back(u.edge);
  std::sort(out.begin(), out.end());
  out.erase(std::unique(out.begin(), out.end()), out.end());
  return out;
}

} // namespace lumsk::brep::split
