#pragma once
#include <array>
#include <vector>

namespace lumsk::nurbs {

/// Non-decreasing knots, length n + p + 1 for n control points of degree p.
using Knots = std::vector<double>;

constexpr int kMaxDegree = 9;
constexpr int kMaxDerivative = 3;

/// Basis functions at one parameter: `value[k][j]` is the k-th derivative of basis function `first + j`.
struct BasisDerivatives {
  int first = 0;
  std::array<std::array<double, kMaxDegree + 1>, kMaxDerivative + 1> value{};
};

/// Index i with U[i] <= u < U[i+1] inside the domain; the last span at its end (Piegl & Tiller 1997, A2.1).
int knotSpan(const Knots& U, int degree, double u);

/// The p+1 non-vanishing basis functions at u, written to `out`; returns the index of the first (A2.2).
int basisFunctions(const Knots& U, int degree, double u, double* out);

/// As above with derivatives to `order` <= 3 (A2.3). Derivatives beyond the degree are zero.
void basisDerivatives(const Knots& U, int degree, double u, int order, BasisDerivatives& out);

/// Clamped knots over [0, 1] with the given number of equal spans.
Knots uniformKnots(int degree, int spans);
/// Clamped knots with the given breakpoints (first and last are the domain), each interior one once.
Knots clampedKnots(int degree, const std::vector<double>& breaks);
/// Periodic, unclamped knots with the given breakpoints: `degree` further knots on both sides.
Knots periodicKnots(int degree, const std::vector<double>& breaks);
/// Distinct knot values of the domain, first to last.
std::vector<double> breakpoints(const Knots& U, int degree);
/// Greville abscissae, one per control point.
std::vector<double> greville(const Knots& U, int degree);
/// How often u occurs, within 1e-12 of the domain.
int multiplicity(const Knots& U, double u);
/// Averaged knots for interpolation at the given parameters (Piegl & Tiller 1997, eq. 9.8).
Knots averagedKnots(int degree, const std::vector<double>& parameters);

} // namespace lumsk::nurbs
