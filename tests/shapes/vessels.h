#pragma once
#include "nurbs/measure/closest.h"
#include "nurbs/fit/fit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/loft/loft.h"
#include "nurbs/curves/shapes.h"

#include <cmath>
#include <random>

namespace lumsk::test {

/// A smooth made-up shell, open along u: about 100 mm each way, waisted and bent.
inline Vec3 smoothForm(double u, double v) {
  const double a = (u - 0.5) * 2.4;
  const double r = 42 + 9 * std::sin(1.1 * kPi * v + 0.3) + 4 * std::cos(2.3 * a + v);
  return {r * std::sin(a), r * (1 - std::cos(a)) * 0.8 + 10 * v * v, 110 * v + 6 * std::sin(2.2 * a) * v};
}

/// A spline close to the form at v: its own degree, number of control points and uneven knots.
inline nurbs::Spline formSection(double v, int degree, int controls, unsigned seed) {
  std::mt19937 rng(seed);
  std::uniform_real_distribution<double> jitter(-0.25, 0.25);
  const int spans = controls - degree;
  std::vector<double> breaks{0.0};
  for (int i = 1; i < spans; ++i) breaks.push_back((i + jitter(rng)) / spans);
  breaks.push_back(1.0);
  nurbs::LeastSquares ls(degree, breaks, false, [] {
    std::vector<double> t;
    for (int i = 0; i <= 400; ++i) t.push_back(i / 400.0);
    return t;
  }());
  nurbs::Rows data(401, 3);
  for (int i = 0; i <= 400; ++i) data.row(i) = smoothForm(i / 400.0, v).transpose();
  return nurbs::Spline::trusted(degree, ls.knots(), ls.solve(data));
}

/// n sections of the form with degrees 3 to 5 and 9 to 13 control points, all knots different.
inline std::vector<nurbs::Section> formSections(int n) {
  std::vector<nurbs::Section> out;
  for (int i = 0; i < n; ++i)
    out.push_back(
        {*nurbs::Path::make({formSection(double(i) / (n - 1), 3 + i % 3, 9 + (3 * i) % 5, 100 + i)}, {0.001})});
  return out;
}

/// A wavy form over 160 x 160 mm, by control points at the Greville abscissae; `wave`: of the shorter waves in it.
inline nurbs::Surface wavyForm(double height, double wave) {
  const nurbs::Knots U = nurbs::uniformKnots(5, 8);
  const auto g = nurbs::greville(U, 5);
  Points grid(Eigen::Index(g.size() * g.size()), 3);
  for (size_t i = 0; i < g.size(); ++i)
    for (size_t j = 0; j < g.size(); ++j) {
      const double x = 160 * g[i] - 80, y = 160 * g[j] - 80;
      grid.row(Eigen::Index(i * g.size() + j)) << x, y,
          height * (std::cos(0.03 * x + 0.2) * std::cos(0.025 * y) + wave * std::sin(0.05 * (x + y)));
    }
  return nurbs::Surface::trusted(5, 5, U, U, grid, false);
}

inline Frame levelAt(double z) { return {{0, 0, z}, Vec3::UnitX(), Vec3::UnitY()}; }

/// Rings of a made-up tumbler, bottom to top.
inline std::vector<nurbs::Section> tumblerSections() {
  return {{Vec3(0, 0, 0)},
          {*nurbs::circle(levelAt(14), 52)},
          {*nurbs::circle(levelAt(45), 66)},
          {*nurbs::circle(levelAt(80), 70)},
          {*nurbs::circle(levelAt(110), 76)}};
}

/// A surface as the neighbour of a skin; it must outlive what this gives.
inline nurbs::Neighbour beside(const nurbs::Surface& s) {
  return [&s](const Vec3& p) -> std::optional<nurbs::NeighbourPlace> {
    const auto c = nurbs::closestPoint(s, p);
    nurbs::NeighbourPlace n;
    s.derivatives(c.u, c.v, 3, n.d);
    n.normal = s.normal(c.u, c.v);
    n.distanceMm = c.distanceMm;
    return n;
  };
}

} // namespace lumsk::test
