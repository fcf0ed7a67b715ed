#include "nurbs/reshape/unite.h"

#include "nurbs/fit/surface_fit.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kLooks = 33;             ///< places of the common border
constexpr double kMoreControls = 1.02; ///< times the control points of both

Unexpected notOne(const std::string& what, const Quantity& measured, const Quantity& wanted, const Vec3& at) {
  return fail(problem("LM-C052", what).measure(measured).want(wanted).at(at).tryThis(
      "leave them as two faces, or match one to the other first"));
}

/// Inner breakpoints of a surface's v or u in [0, 1], repeated where it is less smooth.
std::vector<double> innerBreaks(const Knots& knots, int degree) {
  std::vector<double> out;
  const Eigen::Index n = Eigen::Index(knots.size());
  const double a = knots[degree], b = knots[n - 1 - degree];
  for (Eigen::Index i = degree + 1; i < n - degree - 1; ++i) out.push_back((knots[i] - a) / (b - a));
  return out;
}

/// Breaks of both in order, with their repetitions, and the ends.
std::vector<double> withEnds(std::vector<double> inner) {
  constexpr double kSame = 1e-9;
  std::sort(inner.begin(), inner.end());
  std::vector<double> out{0.0};
  for (double x : inner) out.push_back(x - out.back() < kSame && out.back() > 0 ? out.back() : x);
  out.push_back(1.0);
  return out;
}

/// Of two lists the values of both, each as often as in the one that has it more often.
std::vector<double> together(std::vector<double> a, const std::vector<double>& b) {
  constexpr double kSame = 1e-9;
  const auto times = [&](const std::vector<double>& l, double x) {
    return std::count_if(l.begin(), l.end(), [&](double y) { return std::abs(x - y) < kSame; });
  };
  const std::vector<double> first = a;
  for (size_t i = 0; i < b.size(); ++i) {
    const auto before = std::count_if(b.begin(), b.begin() + long(i), [&](double y) { return std::abs(b[i] - y) < kSame; });
    if (before >= times(first, b[i])) a.push_back(b[i]);
  }
  return a;
}

} // namespace

Expected<UnitedSurface> united(const Surface& a, const Surface& b, const Context& cx) {
  const auto u = [](const Surface& s, double x) { return s.firstU() + x * (s.lastU() - s.firstU()); };
  const auto v = [](const Surface& s, double x) { return s.firstV() + x * (s.lastV() - s.firstV()); };
  // The lines of both along v must run on in one another, as fast on both sides, about.
  double speedA = 0, speedB = 0;
  for (int i = 0; i < kLooks; ++i) {
    const double x = double(i) / (kLooks - 1);
    SurfaceDerivatives da, db;
    a.derivatives(u(a, x), a.lastV(), 1, da);
    b.derivatives(u(b, x), b.firstV(), 1, db);
    if (const double gap = (da(0, 0) - db(0, 0)).norm(); gap > cx.tolerances.point.mm)
      return notOne("the lines of the two faces do not meet at their common border", millimetres(gap), millimetres(cx.tolerances.point.mm), da(0, 0));
    const double na = da(0, 1).norm(), nb = db(0, 1).norm();
    if (na > 0 && nb > 0)
      if (const double turn = degFromRad(std::atan2(da(0, 1).cross(db(0, 1)).norm(), da(0, 1).dot(db(0, 1)))); turn > cx.tolerances.angle.deg)
        return notOne("the lines of the two faces turn at their common border", degrees(turn), degrees(cx.tolerances.angle.deg), da(0, 0));
    speedA += na * (a.lastV() - a.firstV()), speedB += nb * (b.lastV() - b.firstV());
  }
  const double at = speedA / std::max(speedA + speedB, 1e-300); // where the border comes to lie
  SurfaceFitOptions o;
  o.degreeU = std::max(a.degreeU(), b.degreeU()), o.degreeV = std::max(a.degreeV(), b.degreeV());
  o.closedU = a.closedU() && b.closedU();
  o.fit = cx.tolerances.fit;
  o.firstBreaksU = withEnds(together(innerBreaks(a.knotsU(), a.degreeU()), innerBreaks(b.knotsU(), b.degreeU())));
  std::vector<double> across;
  for (double x : innerBreaks(a.knotsV(), a.degreeV())) across.push_back(at * x);
  for (double x : innerBreaks(b.knotsV(), b.degreeV())) across.push_back(at + (1 - at) * x);
  across.push_back(at);
  o.firstBreaksV = withEnds(std::move(across));
  LUMSK_TRY(made, fitSurface(
                      [&](double x, double y) {
                        return y <= at ? a.at(u(a, x), v(a, std::min(1.0, y / at))) : b.at(u(b, x), v(b, (y - at) / (1 - at)));
                      },
                      o, cx));
  const int before = a.controlPoints() + b.controlPoints();
  if (made.surface.controlPoints() > kMoreControls * before)
    return notOne("one spline for both faces would need more control points than both of them",
                  count(made.surface.controlPoints()), count(before), a.at(u(a, 0.5), a.lastV()));
  return UnitedSurface{std::move(made.surface), made.deviationMm};
}

} // namespace lumsk::nurbs
