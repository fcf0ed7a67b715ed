#include "nurbs/knots.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

int knotSpan(const Knots& U, int p, double u) {
  const int n = int(U.size()) - p - 1;
  if (u >= U[n]) {
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

void basisDerivatives(const Knots& U, int p, double u, int order, BasisDerivatives& out) {
  const int i = knotSpan(U, p, u);
  out.first = i - p;
  double ndu[kMaxDegree + 1][kMaxDegree + 1];
  double left[kMaxDegree + 1], right[kMaxDegree + 1];
  ndu[0][0] = 1.0;
  for (int j = 1; j <= p; ++j) {
    left[j] = u - U[i + 1 - j];
    right[j] = U[i + j] - u;
    double saved = 0.0;
    for (int r = 0; r < j; ++r) {
      ndu[j][r] = right[r + 1] + left[j - r];
      const double temp = ndu[r][j - 1] / ndu[j][r];
      ndu[r][j] = saved + right[r + 1] * temp;
      saved = left[j - r] * temp;
    }
    ndu[j][j] = saved;
  }
  for (int j = 0; j <= p; ++j) out.value[0][j] = ndu[j][p];
  const int top = std::min(order, p);
  if (order == 1) {
    // The common case without the general recursion (eq. 2.7).
    for (int j = 0; j <= p; ++j)
      out.value[1][j] =
          p * ((j > 0 ? ndu[j - 1][p - 1] / ndu[p][j - 1] : 0.0) - (j < p ? ndu[j][p - 1] / ndu[p][j] : 0.0));
    return;
  }
  for (int r = 0; r <= p; ++r) {
    double a[2][kMaxDegree + 1] = {{1.0}, {}};
    int s1 = 0, s2 = 1;
    for (int k = 1; k <= top; ++k) {
      double d = 0.0;
      const int rk = r - k, pk = p - k;
      if (r >= k) {
        a[s2][0] = a[s1][0] / ndu[pk + 1][rk];
        d = a[s2][0] * ndu[rk][pk];
      }
      const int j1 = rk >= -1 ? 1 : -rk;
      const int j2 = r - 1 <= pk ? k - 1 : p - r;
      for (int j = j1; j <= j2; ++j) {
        a[s2][j] = (a[s1][j] - a[s1][j - 1]) / ndu[pk + 1][rk + j];
        d += a[s2][j] * ndu[rk + j][pk];
      }
      if (r <= pk) {
        a[s2][k] = -a[s1][k - 1] / ndu[pk + 1][r];
        d += a[s2][k] * ndu[r][pk];
      }
      out.value[k][r] = d;
      std::swap(s1, s2);
    }
  }
  double factor = p;
  for (int k = 1; k <= top; ++k) {
    for (int j = 0; j <= p; ++j) out.value[k][j] *= factor;
    factor *= p - k;
  }
  for (int k = top + 1; k <= order; ++k) out.value[k].fill(0.0);
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
