#include "drawing/law_rows.h"

#include "base/vec.h"
#include "drawing/dual.h"
#include "nurbs/core/knots.h"

namespace lumsk::drawing {

namespace {

constexpr int kMostOf = 12; ///< variables of rows without splines

template <class T> struct Pair {
  T x, y;
};
template <class T> Pair<T> operator-(const Pair<T>& a, const Pair<T>& b) { return {a.x - b.x, a.y - b.y}; }
template <class T> T cross(const Pair<T>& a, const Pair<T>& b) { return a.x * b.y - a.y * b.x; }
template <class T> T dot(const Pair<T>& a, const Pair<T>& b) { return a.x * b.x + a.y * b.y; }
template <class T> T length(const Pair<T>& a) { return root(dot(a, a)); }

/// Signed distance of a point from the line through two others, positive on its left.
template <class T> T besideLine(const Pair<T>& p, const Pair<T>& a, const Pair<T>& b) {
  const Pair<T> along = b - a;
  return cross(along, p - a) / length(along);
}

/// An angle as a length: it has no mirrored root, as a cross product has.
template <class T> T turned(const T& sine, const T& cosine, const Row& row) {
  const double c = std::cos(row.value), s = std::sin(row.value);
  return row.scale * angleOf(c * sine - s * cosine, c * cosine + s * sine);
}

/// Curvature at the end of a spline from the first three points of its polygon there.
template <class T> T endCurvature(const Pair<T>& p, const Pair<T>& q, const Pair<T>& r, double factor) {
  const Pair<T> a = q - p, b = r - q;
  const T square = dot(a, a);
  return (factor * cross(a, b)) / (square * root(square));
}

template <class T> T endRadius(const Row& row, const T& curvature) {
  return (row.scale * row.scale) * (curvature - row.sign / row.value);
}

template <class T> T arcLength(const Row& row, const Pair<T>& centre, const Pair<T>& start, const Pair<T>& end, const T& radius) {
  const Pair<T> a = start - centre, b = end - centre;
  T angle = angleOf(row.sign * cross(a, b), dot(a, b));
  const double whole = std::round((row.turns - valueOf(angle)) / (2 * kPi)) * 2 * kPi;
  angle = angle - (-whole);
  return radius * angle - row.value;
}

template <class T> T onEllipse(const Row& row, const Pair<T>& p, const Pair<T>& centre, const Pair<T>& tip, const T& second) {
  const Pair<T> d = p - centre, u = tip - centre;
  const T square = dot(u, u), along = dot(d, u) / square, across = cross(u, d) / (root(square) * second);
  return row.scale * (root(along * along + across * across) - 1.0);
}

/// In the triangle of its start, corner and end a point of a conic has weights with c^2 = ka a b.
template <class T> T onConic(const Row& row, const Pair<T>& p, const Pair<T>& start, const Pair<T>& corner, const Pair<T>& end) {
  const T whole = cross(corner - start, end - start);
  const T a = cross(corner - p, end - p) / whole, c = cross(p - start, end - start) / whole, b = cross(corner - start, p - start) / whole;
  return row.scale * (c * c - row.ka * (a * b));
}

template <class T> T lineOnEllipse(const Row& row, const Pair<T>& from, const Pair<T>& to, const Pair<T>& centre, const Pair<T>& tip, const T& second) {
  const Pair<T> along = to - from, u = tip - centre;
  const T across = cross(along, u), with = dot(along, u) * second;
  const T reach = root((across * across + with * with / dot(u, u)) / dot(along, along));
  return row.sign * besideLine(centre, from, to) - reach;
}

template <class T> void residuals(const Row& row, const T* v, T* r) {
  const auto at = [&](int i) { return Pair<T>{v[i], v[i + 1]}; };
  switch (row.form) {
  case Form::Number: r[0] = v[0] - row.value; break;
  case Form::Apart: r[0] = v[1] - v[0], r[0] = r[0] - row.value; break;
  case Form::Distance: r[0] = length(at(2) - at(0)) - row.value; break;
  case Form::FromLine: r[0] = row.sign * besideLine(at(0), at(2), at(4)) - row.value; break;
  case Form::OnRound: r[0] = length(at(0) - at(2)) - v[4]; break;
  case Form::SameLength: r[0] = length(at(2) - at(0)) - length(at(6) - at(4)); break;
  case Form::Angle: r[0] = turned(cross(at(2) - at(0), at(6) - at(4)), dot(at(2) - at(0), at(6) - at(4)), row); break;
  case Form::AngleToLevel: r[0] = turned(v[3] - v[1], v[2] - v[0], row); break;
  case Form::LineOnRound: r[0] = row.sign * besideLine(at(4), at(0), at(2)) - v[6]; break;
  case Form::RoundOnRound: r[0] = length(at(3) - at(0)) - (row.ka * v[2]) - (row.kb * v[5]); break;
  case Form::CurvatureOfTwo:
    r[0] = (row.scale * row.scale) * (endCurvature(at(0), at(2), at(4), row.ka) + endCurvature(at(6), at(8), at(10), row.kb));
    break;
  case Form::CurvatureOfOne:
    r[0] = endCurvature(at(0), at(2), at(4), row.ka);
    if (row.kb != 0) r[0] = r[0] + T(row.kb) / v[6];
    r[0] = (row.scale * row.scale) * r[0];
    break;
  case Form::EndRadius: r[0] = endRadius(row, endCurvature(at(0), at(2), at(4), row.ka)); break;
  case Form::Middle:
    r[0] = v[0] - 0.5 * (v[2] + v[4]);
    r[1] = v[1] - 0.5 * (v[3] + v[5]);
    break;
  case Form::Mirrored: {
    const Pair<T> middle{0.5 * (v[0] + v[2]), 0.5 * (v[1] + v[3])}, along = at(6) - at(4);
    r[0] = besideLine(middle, at(4), at(6));
    r[1] = dot(along, at(2) - at(0)) / length(along);
    break;
  }
  case Form::SameStep:
    r[0] = (v[2] - v[0]) - (v[6] - v[4]);
    r[1] = (v[3] - v[1]) - (v[7] - v[5]);
    break;
  case Form::SameTurn: { // as complex numbers: b / a = d / c
    const Pair<T> a = at(0) - at(8), b = at(2) - at(8), c = at(4) - at(8), d = at(6) - at(8);
    r[0] = (1 / row.scale) * (b.x * c.x - b.y * c.y - (a.x * d.x - a.y * d.y));
    r[1] = (1 / row.scale) * (b.x * c.y + b.y * c.x - (a.x * d.y + a.y * d.x));
    break;
  }
  case Form::Turned: {
    const double c = std::cos(row.value), s = std::sin(row.value);
    const Pair<T> a = at(0) - at(4), b = at(2) - at(4);
    r[0] = b.x - (c * a.x - s * a.y);
    r[1] = b.y - (s * a.x + c * a.y);
    break;
  }
  case Form::ArcLength: r[0] = arcLength(row, at(0), at(2), at(4), v[6]); break;
  case Form::OnEllipse: r[0] = onEllipse(row, at(0), at(2), at(4), v[6]); break;
  case Form::OnConic: r[0] = onConic(row, at(0), at(2), at(4), at(6)); break;
  case Form::LineOnEllipse: r[0] = lineOnEllipse(row, at(0), at(2), at(4), at(6), v[8]); break;
  default: break;
  }
}

template <int N> void withDuals(const Row& row, const std::vector<double>& p, double* residual, double* jacobian) {
  Dual<N> v[N], r[2];
  const int n = int(row.of.size());
  for (int i = 0; i < n; ++i) {
    v[i] = Dual<N>(p[size_t(row.of[size_t(i)])]);
    v[i].g[i] = 1;
  }
  residuals(row, v, r);
  for (int k = 0; k < equationsOf(row.form); ++k) {
    residual[k] = r[k].v;
    for (int i = 0; i < n; ++i) jacobian[k * n + i] = r[k].g[i];
  }
}

/// The place on a spline runs on straight beyond its ends, round on a closed one.
void onSpline(const Row& row, const SplineForm& s, const std::vector<double>& p, double* residual, double* jacobian) {
  const int n = int(row.of.size());
  double t = p[size_t(row.of[2])] / row.ka;
  if (row.kb < 0) t -= std::floor(t);
  const double inside = std::clamp(t, 0.0, 1.0);
  nurbs::BasisDerivatives b;
  nurbs::basisDerivatives(s.knots, s.degree, inside, 1, b);
  double at[2] = {0, 0}, slope[2] = {0, 0};
  if (jacobian) std::fill(jacobian, jacobian + 2 * n, 0.0);
  for (int j = 0; j <= s.degree; ++j) {
    const int c = b.first + j;
    const double weight = b.value[0][size_t(j)] + (t - inside) * b.value[1][size_t(j)];
    for (int k = 0; k < 2; ++k) {
      const double x = p[size_t(row.of[size_t(3 + 2 * c + k)])];
      at[k] += weight * x;
      slope[k] += b.value[1][size_t(j)] * x;
      if (jacobian) jacobian[k * n + 3 + 2 * c + k] = weight;
    }
  }
  for (int k = 0; k < 2; ++k) {
    residual[k] = at[k] - p[size_t(row.of[size_t(k)])];
    if (!jacobian) continue;
    jacobian[k * n + k] = -1;
    jacobian[k * n + 2] = slope[k] / row.ka;
  }
}

void splineLength(const Row& row, const SplineForm& s, const std::vector<double>& p, double* residual, double* jacobian) {
  // Gauss's rule of five places on the halves of every span.
  static constexpr double kAt[5] = {-0.906179845938664, -0.538469310105683, 0, 0.538469310105683, 0.906179845938664};
  static constexpr double kWeight[5] = {0.236926885056189, 0.478628670499366, 0.568888888888889, 0.478628670499366, 0.236926885056189};
  const int n = int(row.of.size());
  if (jacobian) std::fill(jacobian, jacobian + n, 0.0);
  double length = 0;
  nurbs::BasisDerivatives b;
  const std::vector<double> breaks = nurbs::breakpoints(s.knots, s.degree);
  for (size_t span = 0; span + 1 < breaks.size(); ++span)
    for (int i = 0; i < 10; ++i) {
      const double half = (breaks[span + 1] - breaks[span]) / 4;
      const double u = breaks[span] + half * (1 + kAt[i % 5] + 2 * (i / 5)), w = kWeight[i % 5] * half;
      nurbs::basisDerivatives(s.knots, s.degree, u, 1, b);
      double d[2] = {0, 0};
      for (int j = 0; j <= s.degree; ++j)
        for (int k = 0; k < 2; ++k) d[k] += b.value[1][size_t(j)] * p[size_t(row.of[size_t(2 * (b.first + j) + k)])];
      const double speed = std::hypot(d[0], d[1]);
      length += w * speed;
      if (!jacobian || speed < 1e-150) continue;
      for (int j = 0; j <= s.degree; ++j)
        for (int k = 0; k < 2; ++k) jacobian[2 * (b.first + j) + k] += w * b.value[1][size_t(j)] * d[k] / speed;
    }
  residual[0] = length - row.value;
}

} // namespace

int equationsOf(Form f) {
  switch (f) {
  case Form::Middle:
  case Form::Mirrored:
  case Form::SameStep:
  case Form::SameTurn:
  case Form::Turned:
  case Form::OnSpline: return 2;
  default: return 1;
  }
}

void evaluate(const Row& row, const std::vector<SplineForm>& splines, const std::vector<double>& p, double* residual,
              double* jacobian) {
  if (row.form == Form::OnSpline) return onSpline(row, splines[size_t(row.spline)], p, residual, jacobian);
  if (row.form == Form::SplineLength) return splineLength(row, splines[size_t(row.spline)], p, residual, jacobian);
  const size_t n = row.of.size();
  if (!jacobian) {
    double v[kMostOf];
    for (size_t i = 0; i < n; ++i) v[i] = p[size_t(row.of[i])];
    return residuals(row, v, residual);
  }
  if (n <= 2)
    withDuals<2>(row, p, residual, jacobian);
  else if (n <= 4)
    withDuals<4>(row, p, residual, jacobian);
  else if (n <= 8)
    withDuals<8>(row, p, residual, jacobian);
  else
    withDuals<kMostOf>(row, p, residual, jacobian);
}

double endCurvatureFactor(const SplineForm& s, bool atEnd) {
  const size_t p = size_t(s.degree), n = s.controls.size() / 2;
  const double first = atEnd ? 1 - s.knots[n - 1] : s.knots[p + 1];
  const double second = atEnd ? 1 - s.knots[n - 2] : s.knots[p + 2];
  return double(p - 1) / double(p) * first / second;
}

} // namespace lumsk::drawing
