#include "nurbs/reshape/iron_sheet.h"

#include "nurbs/core/knots.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kLeastNodes = 25, kNodesASpan = 3;
constexpr double kAtEnd = 0.02;  ///< of a step: nearer to a side than that is on it
constexpr double kClosed = 1e-3; ///< mm: sides nearer than that are one
constexpr double kSmoothDeg = 1; ///< normals at a seam that differ by less go on

/// The tensor's components in a frame that is turned by the angle whose cosine and sine are given.
Eigen::Matrix3d turning(double c, double s) {
  Eigen::Matrix3d m;
  m << c * c, -2 * c * s, s * s, c * s, c * c - s * s, -c * s, s * s, 2 * c * s, c * c;
  return m;
}

bool sameSides(const Surface& s, bool u) {
  for (int k = 0; k <= 8; ++k) {
    const double t = k / 8.0;
    const auto place = [&](double end) {
      const double a = u ? end : t, b = u ? t : end;
      return std::pair(s.firstU() + a * (s.lastU() - s.firstU()), s.firstV() + b * (s.lastV() - s.firstV()));
    };
    const auto [u0, v0] = place(0);
    const auto [u1, v1] = place(1);
    const PointAndNormal a = s.pointAndNormal(u0, v0), b = s.pointAndNormal(u1, v1);
    if ((a.point - b.point).norm() > kClosed || angleBetweenRad(a.normal, b.normal) > radFromDeg(kSmoothDeg)) return false;
  }
  return true;
}

/// Weights of four nodes a step apart for a place between the middle ones (Lagrange).
std::array<double, 4> cubicWeights(double t) {
  return {-t * (t - 1) * (t - 2) / 6, (t + 1) * (t - 1) * (t - 2) / 2, -(t + 1) * t * (t - 2) / 2, (t + 1) * t * (t - 1) / 6};
}

} // namespace

void LeastRows::add(const Terms& terms, double right, double weight) {
  const int row = rows();
  for (const auto& [unknown, factor] : terms) terms_.emplace_back(row, unknown, weight * factor);
  right_.push_back(weight * right);
}

double LeastRows::squaredRight() const { return right().squaredNorm(); }

Eigen::SparseMatrix<double> LeastRows::matrix(int unknowns) const {
  Eigen::SparseMatrix<double> m(rows(), unknowns);
  m.setFromTriplets(terms_.begin(), terms_.end());
  return m;
}

Sheet::Side Sheet::sideOf(double first, double last, size_t spans, int most, bool closed) {
  Side s;
  s.count = std::clamp(kNodesASpan * int(spans) + 1, kLeastNodes, most);
  s.closed = closed;
  s.first = first;
  s.step = (last - first) / (s.count - 1);
  return s;
}

Sheet::Sheet(const Surface& s, int firstNode, int most) : surface_(&s) {
  const LengthTolerance one{kClosed};
  u_ = sideOf(s.firstU(), s.lastU(), breakpoints(s.knotsU(), s.degreeU()).size() - 1, most, sameSides(s, true));
  v_ = sideOf(s.firstV(), s.lastV(), breakpoints(s.knotsV(), s.degreeV()).size() - 1, most, sameSides(s, false));
  v_.poleFirst = s.poleAtFirstV(one), v_.poleLast = s.poleAtLastV(one);
  const Surface turned = exchanged(s);
  u_.poleFirst = turned.poleAtFirstV(one), u_.poleLast = turned.poleAtLastV(one);
  number_.assign(size_t(u_.count * v_.count), -1);
  std::array<int, 4> poles{-1, -1, -1, -1};
  for (int i = 0; i < u_.count; ++i)
    for (int j = 0; j < v_.count; ++j) {
      if (u_.wrapped(i) != i || v_.wrapped(j) != j) continue;
      int* shared = u_.poleFirst && i == 0                 ? &poles[0]
                    : u_.poleLast && i == u_.count - 1 ? &poles[1]
                    : v_.poleFirst && j == 0               ? &poles[2]
                    : v_.poleLast && j == v_.count - 1 ? &poles[3]
                                                           : nullptr;
      int& own = number_[size_t(i * v_.count + j)];
      if (shared && *shared >= 0) {
        own = *shared;
        continue;
      }
      own = firstNode + nodes_++;
      if (shared) *shared = own;
    }
}

bool Sheet::endsAt(double u, double v) const {
  const auto at = [](const Side& s, double x) { return !s.closed && (x - s.first < kAtEnd * s.step || s.first + (s.count - 1) * s.step - x < kAtEnd * s.step); };
  return at(u_, u) || at(v_, v);
}

Sheet::Bent Sheet::bentAt(int i, int j) const {
  Bent out;
  SurfaceDerivatives d;
  surface_->derivatives(u_.first + u_.step * u_.wrapped(i), v_.first + v_.step * v_.wrapped(j), 2, d);
  const Vec3 &Su = d(1, 0), &Sv = d(0, 1);
  const Vec3 cross = Su.cross(Sv);
  const double w = cross.norm(), lu = Su.norm();
  if (!(w > 1e-6 * lu * Sv.norm()) || !(w > 0)) return out;
  out.known = true;
  const Vec3 n = cross / w;
  out.x = Su / lu;
  out.y = n.cross(out.x);
  const double height = Sv.dot(out.y); // Sv = (Sv . x) x + height y
  out.stepU = lu * u_.step, out.stepV = Sv.norm() * v_.step;
  out.area = w * u_.step * v_.step;
  // Columns: the frame's directions in terms of S_u and S_v.
  Eigen::Matrix2d frame, metric;
  frame << 1 / lu, -Sv.dot(out.x) / (lu * height), 0, 1 / height;
  metric << Su.dot(Su), Su.dot(Sv), Su.dot(Sv), Sv.dot(Sv);
  const Eigen::Matrix2d inverse = metric.inverse();
  const auto christoffel = [&](const Vec3& second) { return Vec2(inverse * Vec2(second.dot(Su), second.dot(Sv))); };
  const auto inFrame = [&](double a, double b, double c) {
    Eigen::Matrix2d m;
    m << a, b, b, c;
    const Eigen::Matrix2d t = frame.transpose() * m * frame;
    return Eigen::Vector3d(t(0, 0), t(0, 1), t(1, 1));
  };
  out.is = inFrame(d(2, 0).dot(n), d(1, 1).dot(n), d(0, 2).dot(n));
  const Vec2 Guu = christoffel(d(2, 0)), Guv = christoffel(d(1, 1)), Gvv = christoffel(d(0, 2));
  const auto reach = [&](int di, int dj, double uu, double uv, double vv, double du, double dv) {
    out.by.push_back({node(i + di, j + dj), inFrame(uu - Guu.dot(Vec2(du, dv)), uv - Guv.dot(Vec2(du, dv)), vv - Gvv.dot(Vec2(du, dv)))});
  };
  const double a = 1 / u_.step, b = 1 / v_.step;
  for (const int s : {-1, 1}) {
    reach(s, 0, a * a, 0, 0, 0.5 * s * a, 0);
    reach(0, s, 0, 0, b * b, 0, 0.5 * s * b);
    for (const int t : {-1, 1}) reach(s, t, 0, 0.25 * s * t * a * b, 0, 0, 0);
  }
  reach(0, 0, -2 * a * a, 0, -2 * b * b, 0, 0);
  // What a sheet gains in bending when it moves along its normal as it is.
  const double p = out.is[0], q = out.is[1], r = out.is[2];
  out.by.back().second += Eigen::Vector3d(p * p + q * q, q * (p + r), q * q + r * r);
  return out;
}

void Sheet::bendingRows(LeastRows& rows) const {
  std::vector<Bent> all(size_t(u_.count * v_.count));
  double area = 0, bend = 0;
  for (int i = 0; i < u_.count; ++i)
    for (int j = 0; j < v_.count; ++j) {
      if (!u_.inside(i) || !v_.inside(j) || u_.wrapped(i) != i || v_.wrapped(j) != j) continue;
      Bent& b = all[size_t(i * v_.count + j)];
      b = bentAt(i, j);
      if (!b.known) continue;
      area += b.area;
      bend += b.area * (b.is[0] * b.is[0] + 2 * b.is[1] * b.is[1] + b.is[2] * b.is[2]);
    }
  if (!(area > 0)) return;
  bend += 1e-2; // of a flat one: (10 L)^-2 times its area
  const double share = std::sqrt(area / bend);
  const auto between = [&](const Bent& from, const Bent& to, double step) {
    if (!from.known || !to.known) return;
    const Vec2 turned = Vec2(from.x.dot(to.x), from.x.dot(to.y)).normalized();
    const Eigen::Matrix3d turn = turning(turned.x(), turned.y());
    const double weight = share * std::sqrt(0.5 * (from.area + to.area)) / step;
    std::vector<std::pair<int, Eigen::Vector3d>> by = to.by;
    for (const auto& [unknown, factor] : from.by) by.push_back({unknown, -(turn * factor)});
    const Eigen::Vector3d is = to.is - turn * from.is;
    for (int k = 0; k < 3; ++k) {
      LeastRows::Terms terms;
      for (const auto& [unknown, factor] : by) terms.push_back({unknown, factor[k]});
      rows.add(terms, -is[k], k == 1 ? std::sqrt(2.0) * weight : weight);
    }
  };
  for (int i = 0; i < u_.count; ++i)
    for (int j = 0; j < v_.count; ++j) {
      const Bent& here = all[size_t(i * v_.count + j)];
      const auto next = [&](int di, int dj) -> const Bent* {
        const int a = u_.wrapped(i + di), b = v_.wrapped(j + dj);
        return a < u_.count && b < v_.count ? &all[size_t(a * v_.count + b)] : nullptr;
      };
      if (const Bent* to = next(1, 0)) between(here, *to, here.stepU);
      if (const Bent* to = next(0, 1)) between(here, *to, here.stepV);
    }
}

LeastRows::Terms Sheet::displacementAt(double u, double v) const {
  const auto weights = [](const Side& s, double at) {
    const double x = (at - s.first) / s.step;
    const int i = s.closed ? int(std::floor(x)) : std::clamp(int(std::floor(x)), 1, s.count - 3);
    return std::pair(i - 1, cubicWeights(x - i));
  };
  const auto [i, wu] = weights(u_, u);
  const auto [j, wv] = weights(v_, v);
  LeastRows::Terms out;
  for (int a = 0; a < 4; ++a)
    for (int b = 0; b < 4; ++b) out.push_back({node(i + a, j + b), wu[size_t(a)] * wv[size_t(b)]});
  return out;
}

} // namespace lumsk::nurbs
