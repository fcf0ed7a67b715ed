#pragma once
#include <vector>

namespace lumsk::nurbs {

/// Places and weights over [0, 1].
struct GaussRule {
  std::vector<double> at, weight;
};
/// Gauss-Legendre rule of n >= 1 places, exact for polynomials of degree 2n - 1; by Newton steps on the Legendre
/// polynomial.
GaussRule gaussLegendre(int n);

} // namespace lumsk::nurbs
