#include "nurbs/patch/patch_rows.h"

#include <Eigen/LU>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kRateStep = 1e-4; ///< of a derivative across: for differences
constexpr int kFootSteps = 4;

} // namespace

Vec3 slopeOf(const PatchAsked& a, const Vec3& w) {
  const Vec3 x = a.along, y = a.beside.normal.cross(a.along);
  return 2 * (PatchSides::twist(a.beside, w, x) * x + PatchSides::twist(a.beside, w, y) * y);
}

void askWithin(PlaceRows& rows, const TermAcross& term, const PatchAsked& a, const Vec3& wanted, double weight) {
  const Vec3 x = a.along, y = a.beside.normal.cross(a.along);
  rows.ask({term(1, x)}, wanted.dot(x), weight);
  rows.ask({term(1, y)}, wanted.dot(y), weight);
}

void askRate(PlaceRows& rows, const PatchAsked& a, const TermAcross& term, const Vec3& w, const Vec3& w2,
                    double weight) {
  const Vec3& n = a.beside.normal;
  const Vec3 axes[2] = {a.along, n.cross(a.along)};
  const auto third = [&](const Vec3& first, const Vec3& second) {
    return heightsAlong(a.beside.d, n, first, second)[1];
  };
  const double here = third(w, w2), near = kRateStep * std::max(w.norm(), kRateStep); // mm
  Vec3 by1 = Vec3::Zero(), by2 = Vec3::Zero();
  for (const Vec3& x : axes) {
    by1 += (third(w + near * x, w2) - third(w - near * x, w2)) / (2 * near) * x;
    by2 += (third(w, w2 + x) - here) * x; // linear
  }
  rows.ask({term(3, n), term(2, -by2), term(1, -by1)}, here - by1.dot(w) - by2.dot(w2), weight);
}

double bendingRate(const Surface& patch, int k, double s) {
  const Vec2 x = PatchSides::domain(k, s);
  SurfaceDerivatives d;
  patch.derivatives(x.x(), x.y(), 3, d);
  const Vec3 n = d(1, 0).cross(d(0, 1)).normalized(), along = (PatchSides::alongU(k) ? d(1, 0) : d(0, 1)).normalized();
  return normalSection(d, n, n.cross(along)).rate;
}

double extremeOfBending(const Surface& patch, int side, double a, double b) {
  double atA = bendingRate(patch, side, a), atB = bendingRate(patch, side, b);
  for (int it = 0; it < 4; ++it) { // false position, Illinois
    const double x = a + (b - a) * atA / (atA - atB), at = bendingRate(patch, side, x);
    if (at * atB < 0)
      a = b, atA = atB;
    else
      atA /= 2;
    b = x, atB = at;
  }
  return b;
}

Vec2 GuideFeet::of(const Path* guide, int place, const Vec3& p, const Surface& now) {
  const auto known = places_.find({guide, place});
  if (known == places_.end()) {
    if (!nearest_) nearest_.emplace(now);
    return places_[{guide, place}] = nearest_->foot(p).uv;
  }
  Vec2& x = known->second;
  for (int it = 0; it < kFootSteps; ++it) {
    SurfaceDerivatives d;
    now.derivatives(x.x(), x.y(), 1, d);
    const FootSystem at = straightFootSystem(d, p);
    const Vec2 step = -at.bend.inverse() * at.gradient;
    if (!step.allFinite()) break;
    x = (x + step).cwiseMax(0.0).cwiseMin(1.0);
    if (step.norm() < 1e-10) break;
  }
  return x;
}

} // namespace lumsk::nurbs
