#include "nurbs/patch/patch_sides.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kLeastPoleSine = 0.05; ///< sides that meet more sharply say no tangent plane
constexpr double kCornerPart = 0.5;     ///< of the curvature's tolerance: what corners may disagree

} // namespace

CurveDerivatives PatchSides::onSide(int side, double s) const {
  const PatchSide& p = sides_[size_t(side)];
  CurveDerivatives d{(1 - s) * p.ends[0] + s * p.ends[1], Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
  if (bare(side)) return d;
  const double f = p.reversed ? 1 - s : s;
  p.path->derivatives(std::min(p.length->parameterAtFraction(f), std::nextafter(p.path->last(), 0.0)), 2, d);
  if (f >= 1) d[0] = p.path->end();
  const double speed = d[1].norm();
  d[1] /= speed;
  d[2] = (d[2] - d[2].dot(d[1]) * d[1]) / (speed * speed);
  if (p.reversed) d[1] = -d[1];
  d[0] += (1 - s) * (p.ends[0] - end(side, 0)) + s * (p.ends[1] - end(side, 1));
  return d;
}

void PatchSides::findSizes() {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (int k = 0; k < 4; ++k) {
    length_[size_t(k)] =
        bare(k) ? (sides_[size_t(k)].ends[1] - sides_[size_t(k)].ends[0]).norm() : sides_[size_t(k)].length->total();
    ring_ += length_[size_t(k)];
    for (int i = 0; i <= 16; ++i) {
      const Vec3 p = onSide(k, i / 16.0)[0];
      low = low.cwiseMin(p), high = high.cwiseMax(p);
    }
  }
  flat_ = 1 / (10 * (high - low).norm());
  const auto apart = [&](int one, int other) { // of sides that are no poles
    double sum = 0;
    for (int i = 0; i < 16; ++i)
      sum += (onSide(one, (i + 0.5) / 16)[0] - onSide(other, (i + 0.5) / 16)[0]).norm() / 16;
    return sum;
  };
  sizeU_ = std::max(0.5 * (length_[0] + length_[2]), apart(1, 3));
  sizeV_ = std::max(0.5 * (length_[1] + length_[3]), apart(0, 2));
}

Expected<NeighbourPlace> PatchSides::beside(int side, const CurveDerivatives& d) const {
  if (atPlane(side)) {
    NeighbourPlace p;
    p.normal = sides_[size_t(side)].plane.cross(d[1]).normalized();
    return p;
  }
  return placeOn(sides_[size_t(side)].neighbour, d[0], cx_.tolerances.point, "the edge",
                 "pick the skin that the edge lies on, or take G0 here");
}

Expected<void> PatchSides::lookAtPole(int pole) {
  const std::array<int, 2> ends{(pole + 3) % 4, (pole + 1) % 4};
  std::array<CurveDerivatives, 2> curve;
  Pole p;
  for (size_t i = 0; i < 2; ++i) {
    curve[i] = onSide(ends[i], atLast(pole) ? 1.0 : 0.0);
    const int own = atPlane(ends[i]) ? std::min(1, order(ends[i])) : order(ends[i]);
    if (own <= p.order) continue;
    LUMSK_TRY(place, beside(ends[i], curve[i]));
    p = {place, std::min(own, 2)};
  }
  const Vec3 across = curve[0][1].cross(curve[1][1]);
  if (p.order == 0 && across.norm() > kLeastPoleSine && guidesLeave(curve[0][0], across.normalized()))
    p.place.normal = across.normalized(), p.order = 1;
  if (p.order == 0) return {};
  PatchCorner c;
  c.side = pole;
  c.at = curve[0][0];
  for (const CurveDerivatives& d : curve) {
    c.angleDeg = std::max(c.angleDeg, std::abs(90 - degFromRad(angleBetweenRad(p.place.normal, d[1]))));
    if (p.order > 1) c.curvature = std::max(c.curvature, apart(bend(p.place, d[1]), d[2].dot(p.place.normal)));
  }
  if (c.curvature > kCornerPart * cx_.tolerances.curvature.relative) p.order = 1;
  if (c.angleDeg <= cx_.tolerances.angle.deg)
    poles_[size_t(pole)] = p;
  else if (order(ends[0]) > 0 || order(ends[1]) > 0)
    poleCorners_.push_back(c);
  return {};
}

bool PatchSides::guidesLeave(const Vec3& pole, const Vec3& normal) const {
  for (const Path* g : o_.guides)
    for (const bool first : {true, false}) {
      if (((first ? g->start() : g->end()) - pole).norm() > 10 * cx_.tolerances.point.mm) continue;
      CurveDerivatives d;
      g->derivatives(0, 1, d);
      const Vec3 leaves = first ? d[1] : g->tangentBefore(g->last());
      if (std::abs(90 - degFromRad(angleBetweenRad(normal, leaves))) > cx_.tolerances.angle.deg) return false;
    }
  return true;
}

Expected<void> PatchSides::lookAtCorners() {
  for (int k = 0; k < 4; ++k) {
    if (isPole(k)) LUMSK_CHECK(lookAtPole(k));
    const int a = (k + 3) % 4, b = k;
    if (bare(a) || bare(b) || (order(a) == 0 && order(b) == 0)) continue;
    PatchCorner c;
    c.side = k;
    std::array<std::optional<NeighbourPlace>, 2> n;
    std::array<CurveDerivatives, 2> curve;
    for (int i : {0, 1}) {
      const int side = i ? b : a;
      curve[size_t(i)] = onSide(side, cornerOn(side, k));
      c.at = curve[size_t(i)][0];
      if (order(side) == 0) continue;
      LUMSK_TRY(place, beside(side, curve[size_t(i)]));
      n[size_t(i)] = place;
    }
    for (int i : {0, 1}) {
      if (!n[size_t(i)]) continue;
      const Vec3& normal = n[size_t(i)]->normal;
      const CurveDerivatives& other = curve[size_t(1 - i)];
      c.angleDeg = std::max(c.angleDeg, std::abs(90 - degFromRad(angleBetweenRad(normal, other[1]))));
      if (order(i ? b : a) < 2 || atPlane(i ? b : a)) continue;
      const double wanted = heightsAlong(n[size_t(i)]->d, normal, other[1], Vec3::Zero())[0];
      c.curvature = std::max(c.curvature, apart(wanted, other[2].dot(normal)));
    }
    if (n[0] && n[1] && !atPlane(a) && !atPlane(b)) {
      // The twist is dictated by both tangent planes.
      const double turn = n[0]->normal.dot(n[1]->normal) < 0 ? -1.0 : 1.0;
      const double one = twist(*n[0], curve[0][1], curve[1][1]),
                   other = turn * twist(*n[1], curve[0][1], curve[1][1]);
      const double size =
          std::max({std::abs(one), std::abs(other), flat_, largest(*n[0], curve), largest(*n[1], curve)});
      c.curvature = std::max(c.curvature, std::abs(one - other) / size);
    }
    const bool kink = c.angleDeg > cx_.tolerances.angle.deg;
    if (!kink && c.curvature <= kCornerPart * cx_.tolerances.curvature.relative) continue;
    c.zoneMm = o_.zoneShare * std::min(length_[size_t(a)], length_[size_t(b)]);
    corners_.push_back(c);
  }
  return {};
}

} // namespace lumsk::nurbs
