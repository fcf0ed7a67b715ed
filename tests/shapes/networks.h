#pragma once
#include "nurbs/network.h"
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
  const auto place = [](int i, int n) { return i / (n - 1.0) + (i > 0 && i + 1 < n ? 0.12 * std::sin(3.0 * i) / n : 0.0); };
  for (int i = 0; i < rows; ++i) out.push_back({formLine(true, place(i, rows), 3 + i % 4, 60 + 3 * i % 17, seed + unsigned(i))});
  for (int i = 0; i < columns; ++i)
    out.push_back({formLine(false, place(i, columns), 6 - i % 4, 56 + 5 * i % 13, seed + 50 + unsigned(i))});
  std::mt19937 rng(seed);
  std::shuffle(out.begin(), out.end(), rng);
  for (size_t i = 0; i < out.size(); i += 3) out[i].path = nurbs::reversed(out[i].path);
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
