#include "nurbs/core/knots.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

int knotSpan(const Knots& U, int p, double u) {
  const int n = int(U.size()) - p - 1;
  if (!(u < U[n])) { // what is not a number, too: the last span is one that there is
    int i = n - 1;
    while (i > p && U[i] >= U[n]) --i;
    return i;
  }
  if (u <= U[p]) {
    int i = p;
    while (i < n - 1 && U[i + 1] <= U[p]) ++i;
    return i;
  }
  return int(std::upper_bound(U.begin() + p, U.begin() + n + 1, u) - U.begin()) - 1;
}

int basisFunctions(const Knots& U, int p, double u, double* N) {
  const int i = knotSpan(U, p, u);
  double left[kMaxDegree + 1], right[kMaxDegree + 1];
  N[0] = 1.0;
  for (int j = 1; j <= p; ++j) {
    left[j] = u - U[i + 1 - j];
    right[j] = U[i + j] - u;
    double saved = 0.0;
    for (int r = 0; r < j; ++r) {
      const double temp = N[r] / (right[r + 1] + left[j - r]);
      N[r] = saved + right[r + 1] * temp;
      saved = left[j - r] * temp;
    }
    N[j] = saved;
  }
  return i - p;
}

namespace {

/// As `basisDerivatives`; compiled for the usual degrees.
[[gnu::always_inline]] inline void basisOf(const double* U, int p, double u, int order, BasisDerivatives& out) {
  const int top = std::min(order, p);
  double left[kMaxDegree + 1], right[kMaxDegree + 1];
  double N[kMaxDegree + 1] = {1.0};            // of degree j in step j
  double over[kMaxDerivative][kMaxDegree + 1]; // 1 / how far functions of degree p - k extend, but for one span
  for (int j = 1; j <= p; ++j) {
    if (p - j < top) std::copy_n(N, j, out.value[size_t(p - j + 1)].begin()); // of degree p - k, to become derivatives
    left[j] = u - U[1 - j];
    right[j] = U[j] - u;
    double saved = 0.0;
    for (int r = 0; r < j; ++r) {
      const double by = 1.0 / (right[r + 1] + left[j - r]);
      if (p - j < top) over[p - j][r] = by;
      const double temp = N[r] * by;
      N[r] = saved + right[r + 1] * temp;
      saved = left[j - r] * temp;
    }
    N[j] = saved;
  }
  std::copy_n(N, p + 1, out.value[0].begin());
  // Differences of the functions of lower degree, one degree after the other (eq. 2.7).
  for (int k = 1; k <= top; ++k) {
    double* d = out.value[size_t(k)].data();
    for (int q = p - k + 1; q <= p; ++q) {
      double before = 0.0;
      for (int r = 0; r < q; ++r) {
        const double part = q * over[p - q][r] * d[r];
        d[r] = before - part;
        before = part;
      }
      d[q] = before;
    }
  }
  for (int k = top + 1; k <= order; ++k) out.value[size_t(k)].fill(0.0);
}

} // namespace

void basisDerivatives(const Knots& U, int p, double u, int order, BasisDerivatives& out) {
  const int i = knotSpan(U, p, u);
  out.first = i - p;
  const double* at = U.data() + i;
  if (p == 3)
    basisOf(at, 3, u, order, out);
  else if (p == 5)
    basisOf(at, 5, u, order, out);
  else
    basisOf(at, p, u, order, out);
}

Knots uniformKnots(int p, int spans) {
  std::vector<double> breaks(spans + 1);
  for (int i = 0; i <= spans; ++i) breaks[i] = double(i) / spans;
  return clampedKnots(p, breaks);
}

Knots clampedKnots(int p, const std::vector<double>& breaks) {
  Knots U(p, breaks.front());
  U.insert(U.end(), breaks.begin(), breaks.end());
  U.insert(U.end(), p, breaks.back());
  return U;
}

Knots periodicKnots(int p, const std::vector<double>& breaks) {
  const int m = int(breaks.size()) - 1;
  const double period = breaks.back() - breaks.front();
  Knots U;
  for (int i = -p; i <= m + p; ++i) {
    const int wrap = i < 0 ? (i - m + 1) / m : i / m;
    U.push_back(breaks[i - wrap * m] + wrap * period);
  }
  return U;
}

std::vector<double> breakpoints(const Knots& U, int p) {
  const int n = int(U.size()) - p - 1;
  std::vector<double> b;
  for (int i = p; i <= n; ++i)
    if (b.empty() || U[i] > b.back()) b.push_back(U[i]);
  return b;
}

std::vector<double> greville(const Knots& U, int p) {
  const int n = int(U.size()) - p - 1;
  std::vector<double> g(n);
  for (int i = 0; i < n; ++i) {
    double s = 0.0;
    for (int k = 1; k <= p; ++k) s += U[i + k];
    g[i] = s / p;
  }
  return g;
}

int multiplicity(const Knots& U, double u) {
  const double eps = 1e-12 * (U.back() - U.front());
  return int(std::count_if(U.begin(), U.end(), [&](double k) { return std::abs(k - u) <= eps; }));
}

Knots averagedKnots(int p, const std::vector<double>& t) {
  const int n = int(t.size());
  Knots U(p + 1, t.front());
  for (int j = 1; j <= n - p - 1; ++j) {
    double s = 0.0;
    for (int i = j; i < j + p; ++i) s += t[i];
    U.push_back(s / p);
  }
  U.insert(U.end(), p + 1, t.back());
  return U;
}

} // namespace lumsk::nurbs
