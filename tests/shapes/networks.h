#pragma once
#include "nurbs/measure/closest.h"
#include "nurbs/network/network.h"
#include "shapes/vessels.h"

namespace lumsk::test {

/// A spline along a line of the smooth form (`alongU`: at fixed v), with its own degree, count and uneven knots, so
/// close to the form that the crossings of a network meet.
inline nurbs::Path formLine(bool alongU, double at, int degree, int controls, unsigned seed, double from = 0,
                            double to = 1) {
  std::mt19937 rng(seed);
  std::uniform_real_distribution<double> jitter(-0.2, 0.2);
  const int spans = controls - degree;
  std::vector<double> breaks{0.0};
  for (int i = 1; i < spans; ++i) breaks.push_back((i + jitter(rng)) / spans);
  breaks.push_back(1.0);
  std::vector<double> t;
  for (int i = 0; i <= 900; ++i) t.push_back(i / 900.0);
  const nurbs::LeastSquares ls(degree, breaks, false, t);
  nurbs::Rows data(901, 3);
  for (int i = 0; i <= 900; ++i) {
    const double w = from + (to - from) * i / 900.0;
    data.row(i) = (alongU ? smoothForm(w, at) : smoothForm(at, w)).transpose();
  }
  return *nurbs::Path::make({nurbs::Spline::trusted(degree, ls.knots(), ls.solve(data))}, {0.001});
}

/// `rows` lines at fixed v and `columns` at fixed u, unevenly placed, of degrees 3 to 6, every third one reversed, in a
/// shuffled order.
inline std::vector<nurbs::NetworkCurve> formNetwork(int rows, int columns, unsigned seed = 7) {
  std::vector<nurbs::NetworkCurve> out;
  const auto place = [](int i, int n) {
    return i / (n - 1.0) + (i > 0 && i + 1 < n ? 0.12 * std::sin(3.0 * i) / n : 0.0);
  };
  for (int i = 0; i < rows; ++i)
    out.push_back({formLine(true, place(i, rows), 3 + i % 4, 60 + 3 * i % 17, seed + unsigned(i))});
  for (int i = 0; i < columns; ++i)
    out.push_back({formLine(false, place(i, columns), 6 - i % 4, 56 + 5 * i % 13, seed + 50 + unsigned(i))});
  std::mt19937 rng(seed);
  std::shuffle(out.begin(), out.end(), rng);
  for (size_t i = 0; i < out.size(); i += 3) out[i].path = nurbs::reversed(out[i].path);
  return out;
}

/// A made-up vessel seen from polar angles, even about the plane y = 0; `around` 0..1 is its half with y >= 0.
inline Vec3 vesselPoint(double around, double z) {
  const double a = kPi * around, r = 36 + 8 * std::sin(z / 28) + 2.5 * std::cos(2 * a) + 1.5 * std::cos(3 * a);
  return {1.3 * r * std::cos(a), r * std::sin(a), z + 3 * std::cos(a)};
}

/// Half of a level outline of it: cut from a spline that goes on beyond the plane, so that the half is even.
inline nurbs::Path halfOutline(double z) {
  Points p(65, 3);
  for (int k = -20; k <= 44; ++k) p.row(k + 20) = vesselPoint(k / 24.0, z).transpose();
  nurbs::InterpolationOptions o;
  o.degree = 5;
  const nurbs::Spline c = *nurbs::interpolate(p, o);
  const nurbs::Path whole = *nurbs::Path::make({c}, {0.001});
  const double a = nurbs::closestPoint(whole, vesselPoint(0, z)).t, b = nurbs::closestPoint(whole, vesselPoint(1, z)).t;
  return *nurbs::Path::make({*nurbs::portion(c, a, b)}, {0.001});
}

/// How a side of a surface meets the plane y = 0: distance, angle, and |dk/ds| of the section across by differences.
struct AtPlane {
  double offMm = 0, angleDeg = 0, rate = 0;
};
inline AtPlane sideAtPlane(const nurbs::Surface& s, nurbs::Side side) {
  const bool u = side == nurbs::FirstU || side == nurbs::LastU, first = side == nurbs::FirstU || side == nurbs::FirstV;
  AtPlane out;
  for (int k = 0; k <= 30; ++k) {
    const auto look = [&](double h) {
      nurbs::SurfaceDerivatives d;
      const double x = first ? h : 1 - h;
      s.derivatives(u ? x : k / 30.0, u ? k / 30.0 : x, 2, d);
      return d;
    };
    const auto bend = [&](double h) { // curvature of the section across, at a distance from the plane
      const auto e = look(h);
      const Vec3 m = e(1, 0).cross(e(0, 1)).normalized(), w = Vec3(Vec3::UnitY() - m * m.y()).normalized();
      Eigen::Matrix<double, 3, 2> J;
      J << e(1, 0), e(0, 1);
      const Eigen::Matrix2d g = J.transpose() * J;
      const Vec2 r = J.transpose() * w, q = Vec2(g(1, 1) * r.x() - g(0, 1) * r.y(), g(0, 0) * r.y() - g(0, 1) * r.x()) /
                                            (g(0, 0) * g(1, 1) - g(0, 1) * g(0, 1));
      return m.dot(q.x() * q.x() * e(2, 0) + 2 * q.x() * q.y() * e(1, 1) + q.y() * q.y() * e(0, 2));
    };
    const auto d = look(0);
    const Vec3 n = d(1, 0).cross(d(0, 1)).normalized();
    const double step = 2e-4, ds = step * (u ? d(1, 0) : d(0, 1)).norm();
    out.offMm = std::max(out.offMm, std::abs(d(0, 0).y()));
    out.angleDeg = std::max(out.angleDeg, degFromRad(std::asin(std::abs(n.y()))));
    out.rate = std::max(out.rate, std::abs(-bend(2 * step) + 4 * bend(step) - 3 * bend(0)) / (2 * ds));
  }
  return out;
}

/// Upper half of a made-up rounded body over an ellipse, seen from polar angles: the pole on top.
inline Vec3 domePoint(double around, double down) {
  const double a = kPi * around, b = 0.5 * kPi * down;
  const double r = 1 + 0.06 * std::cos(2 * a) * std::sin(b) * std::sin(b);
  return {60 * r * std::sin(b) * std::cos(a), 40 * r * std::sin(b) * std::sin(a), 50 * std::cos(b)};
}

/// Distance of the picked curves from the skin's patches by closest points.
inline double curvesOffSkin(const std::vector<nurbs::NetworkCurve>& curves, const nurbs::NetworkResult& r) {
  double worst = 0;
  for (const auto& c : curves)
    for (int k = 0; k <= 40; ++k) {
      const Vec3 p = c.path.at(c.path.last() * k / 40.0);
      double nearest = 1e300;
      for (const auto& patch : r.patches) nearest = std::min(nearest, nurbs::closestPoint(patch.surface, p).distanceMm);
      worst = std::max(worst, nearest);
    }
  return worst;
}

} // namespace lumsk::test
