#include "nurbs/core/gauss.h"

#include "base/vec.h"

#include <cmath>

namespace lumsk::nurbs {

GaussRule gaussLegendre(int n) {
  GaussRule out;
  for (int i = 0; i < n; ++i) {
    double x = -std::cos(kPi * (i + 0.75) / (n + 0.5)), slope = 1;
    for (int step = 0; step < 8; ++step) {
      double p = 1, before = 0; // Bonnet's recursion
      for (int k = 1; k <= n; ++k) {
        const double next = ((2 * k - 1) * x * p - (k - 1) * before) / k;
        before = p, p = next;
      }
      slope = n * (x * p - before) / (x * x - 1);
      x -= p / slope;
    }
    out.at.push_back(0.5 * (1 + x));
    out.weight.push_back(1 / ((1 - x * x) * slope * slope));
  }
  return out;
}

} // namespace lumsk::nurbs
