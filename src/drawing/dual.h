#pragma once
#include <algorithm>
#include <cmath>

namespace lumsk::drawing {

/// A number with its derivatives by N variables (forward differentiation: Griewank & Walther 2008).
template <int N> struct Dual {
  double v = 0;
  double g[N] = {};
  Dual() = default;
  Dual(double value) : v(value) {} // NOLINT: numbers are constants
};

template <int N> Dual<N> operator+(Dual<N> a, const Dual<N>& b) {
  a.v += b.v;
  for (int i = 0; i < N; ++i) a.g[i] += b.g[i];
  return a;
}
template <int N> Dual<N> operator-(Dual<N> a, const Dual<N>& b) {
  a.v -= b.v;
  for (int i = 0; i < N; ++i) a.g[i] -= b.g[i];
  return a;
}
template <int N> Dual<N> operator*(const Dual<N>& a, const Dual<N>& b) {
  Dual<N> r(a.v * b.v);
  for (int i = 0; i < N; ++i) r.g[i] = a.g[i] * b.v + a.v * b.g[i];
  return r;
}
template <int N> Dual<N> operator/(const Dual<N>& a, const Dual<N>& b) {
  const double q = 1 / b.v;
  Dual<N> r(a.v * q);
  for (int i = 0; i < N; ++i) r.g[i] = (a.g[i] - r.v * b.g[i]) * q;
  return r;
}
template <int N> Dual<N> operator*(double k, Dual<N> a) {
  a.v *= k;
  for (double& g : a.g) g *= k;
  return a;
}
template <int N> Dual<N> operator-(Dual<N> a, double k) {
  a.v -= k;
  return a;
}
template <int N> Dual<N> root(const Dual<N>& a) {
  Dual<N> r(std::sqrt(a.v));
  const double q = 0.5 / std::max(r.v, 1e-150);
  for (int i = 0; i < N; ++i) r.g[i] = a.g[i] * q;
  return r;
}
template <int N> Dual<N> angleOf(const Dual<N>& y, const Dual<N>& x) {
  Dual<N> r(std::atan2(y.v, x.v));
  const double q = 1 / (x.v * x.v + y.v * y.v + 1e-150);
  for (int i = 0; i < N; ++i) r.g[i] = (x.v * y.g[i] - y.v * x.g[i]) * q;
  return r;
}

inline double root(double a) { return std::sqrt(a); }
inline double angleOf(double y, double x) { return std::atan2(y, x); }
inline double valueOf(double a) { return a; }
template <int N> double valueOf(const Dual<N>& a) { return a.v; }

} // namespace lumsk::drawing
