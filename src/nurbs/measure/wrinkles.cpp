#include "nurbs/measure/wrinkles.h"

#include "nurbs/core/knots.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kX[3] = {-0.7745966692414834, 0.0, 0.7745966692414834}, kW[3] = {5.0 / 9, 8.0 / 9, 5.0 / 9};
constexpr double kUmbilic = 1e-4; ///< of curvatures: where they differ by less, which of both is which is not asked

/// What one place adds, by area.
struct Bending {
  double area = 0, change = 0, bend = 0; ///< |S_u x S_v|, |grad k1|^2 + |grad k2|^2, k1^2 + k2^2
};

Bending bendingAt(const SurfaceDerivatives& d, double flat) {
  const Vec3 &u = d(1, 0), &v = d(0, 1);
  const Vec3 cross = u.cross(v);
  const double w = cross.norm();
  Bending out;
  if (!(w > 1e-12 * u.norm() * v.norm()) || !(w > 0)) return out;
  out.area = w;
  const Vec3 n = cross / w;
  const double E = u.dot(u), F = u.dot(v), G = v.dot(v), W = E * G - F * F;
  const double L = d(2, 0).dot(n), M = d(1, 1).dot(n), N = d(0, 2).dot(n);
  const double top = E * N - 2 * F * M + G * L, H = top / (2 * W), K = (L * N - M * M) / W;
  const double D = std::sqrt(std::max(0.0, H * H - K));
  const double least = kUmbilic * (std::abs(H) + flat);
  double dH[2], dD[2];
  for (int a : {0, 1}) {
    const auto up = [&](int i, int j) -> const Vec3& { return d(i + (a == 0), j + (a == 1)); };
    const Vec3 change = up(1, 0).cross(v) + u.cross(up(0, 1));
    const Vec3 dn = (change - change.dot(n) * n) / w;
    const double dE = 2 * u.dot(up(1, 0)), dF = up(1, 0).dot(v) + u.dot(up(0, 1)), dG = 2 * v.dot(up(0, 1));
    const double dL = up(2, 0).dot(n) + d(2, 0).dot(dn), dM = up(1, 1).dot(n) + d(1, 1).dot(dn);
    const double dN = up(0, 2).dot(n) + d(0, 2).dot(dn), dW = dE * G + E * dG - 2 * F * dF;
    dH[a] = (dE * N + E * dN - 2 * (dF * M + F * dM) + dG * L + G * dL - top * dW / W) / (2 * W);
    const double dK = (dL * N + L * dN - 2 * M * dM - K * dW) / W;
    dD[a] = D > least ? (2 * H * dH[a] - dK) / (2 * D) : 0.0;
  }
  const auto gradient = [&](const double f[2]) {
    return (G * f[0] * f[0] - 2 * F * f[0] * f[1] + E * f[1] * f[1]) / W;
  };
  out.change = 2 * (gradient(dH) + gradient(dD));
  out.bend = 2 * (H * H + D * D);
  return out;
}

using Counts = std::function<bool(size_t, double, double)>;

/// Calls `f` with the bending at all places that count, its weight in the integral and the place. Returns the floor of curvatures.
template <class F> double overPlaces(const std::vector<Surface>& skins, const Counts& counts, F&& f) {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Surface& s : skins) {
    low = low.cwiseMin(Vec3(s.grid().colwise().minCoeff().transpose()));
    high = high.cwiseMax(Vec3(s.grid().colwise().maxCoeff().transpose()));
  }
  const double flat = 1 / (10 * std::max((high - low).norm(), 1e-9));
  for (size_t k = 0; k < skins.size(); ++k) {
    const Surface& s = skins[k];
    const auto us = breakpoints(s.knotsU(), s.degreeU()), vs = breakpoints(s.knotsV(), s.degreeV());
    for (size_t i = 0; i + 1 < us.size(); ++i)
      for (size_t j = 0; j + 1 < vs.size(); ++j)
        for (int a = 0; a < 3; ++a)
          for (int b = 0; b < 3; ++b) {
            const double hu = 0.5 * (us[i + 1] - us[i]), hv = 0.5 * (vs[j + 1] - vs[j]);
            const double u = us[i] + hu * (1 + kX[a]), v = vs[j] + hv * (1 + kX[b]);
            if (counts && !counts(k, u, v)) continue;
            SurfaceDerivatives d;
            s.derivatives(u, v, 3, d);
            const Bending p = bendingAt(d, flat);
            f(p, hu * hv * kW[a] * kW[b] * p.area, d(0, 0));
          }
  }
  return flat;
}

} // namespace

double wrinkleIndex(const std::vector<Surface>& skins, const Counts& counts) {
  double area = 0, change = 0, bend = 0;
  const double flat = overPlaces(skins, counts, [&](const Bending& p, double w, const Vec3&) {
    area += w;
    change += w * p.change;
    bend += w * p.bend;
  });
  bend += area * flat * flat;
  return bend > 0 ? area * change / bend : 0.0;
}

Vec3 bumpiestPlace(const std::vector<Surface>& skins) {
  double most = -1;
  Vec3 at = Vec3::Zero();
  overPlaces(skins, {}, [&](const Bending& p, double, const Vec3& place) {
    if (p.change > most) most = p.change, at = place;
  });
  return at;
}

} // namespace lumsk::nurbs
