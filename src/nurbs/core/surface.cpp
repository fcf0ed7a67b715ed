#include "nurbs/core/surface.h"

#include "nurbs/core/kernels.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

Surface Surface::trusted(int pu, int pv, Knots U, Knots V, Points grid, bool closedU) {
  Surface s;
  s.pu_ = pu, s.pv_ = pv;
  s.U_ = std::move(U), s.V_ = std::move(V);
  s.grid_ = std::move(grid);
  s.closedU_ = closedU;
  return s;
}

namespace {

/// Sum of weight[j] * row j of n x 3 values.
Vec3 weighted(const double* xyz, const double* weight, int count) {
  Vec3 p = weight[0] * Eigen::Map<const Vec3>(xyz);
  for (int j = 1; j < count; ++j) p += weight[j] * Eigen::Map<const Vec3>(xyz + 3 * j);
  return p;
}

} // namespace

Vec3 Surface::at(double u, double v) const {
  double Nu[kMaxDegree + 1], Nv[kMaxDegree + 1], row[3 * (kMaxDegree + 1)];
  const int fu = basisFunctions(U_, pu_, u, Nu), fv = basisFunctions(V_, pv_, v, Nv);
  const size_t nv = size_t(sizeV());
  combineRows(grid_.data() + 3 * (fu * nv + fv), 3 * nv, Nu, pu_ + 1, 3 * (pv_ + 1), row);
  return weighted(row, Nv, pv_ + 1);
}

void Surface::derivatives(double u, double v, int order, SurfaceDerivatives& out) const {
  BasisDerivatives bu, bv;
  basisDerivatives(U_, pu_, u, order, bu);
  basisDerivatives(V_, pv_, v, order, bv);
  const size_t nv = size_t(sizeV());
  double row[3 * (kMaxDegree + 1)];
  for (int k = 0; k <= order; ++k) {
    combineRows(grid_.data() + 3 * (bu.first * nv + bv.first), 3 * nv, bu.value[k].data(), pu_ + 1, 3 * (pv_ + 1), row);
    for (int l = 0; k + l <= order; ++l) out(k, l) = weighted(row, bv.value[l].data(), pv_ + 1);
  }
}

namespace {

/// Relative length below which a partial derivative counts as vanished.
constexpr double kCollapsed = 1e-9;
/// Ratio of first derivatives beyond which the careful way decides.
constexpr double kNearlyCollapsed = 1e-7;

Vec3 unitOrZero(const Vec3& v) {
  const double n = v.norm();
  return n > 0 ? Vec3(v / n) : Vec3(Vec3::Zero());
}

} // namespace

Vec3 Surface::normal(double u, double v) const {
  SurfaceDerivatives d;
  derivatives(u, v, 2, d);
  const double scale = std::max({d(1, 0).norm(), d(0, 1).norm(), d(1, 1).norm()});
  // Limits along the other direction (de l'Hospital): the sign says from which side the edge is reached.
  if (d(1, 0).norm() < kCollapsed * scale) {
    const double side = v > 0.5 * (firstV() + lastV()) ? -1.0 : 1.0;
    return unitOrZero(side * d(1, 1).cross(d(0, 1)));
  }
  if (d(0, 1).norm() < kCollapsed * scale) {
    const double side = u > 0.5 * (firstU() + lastU()) ? -1.0 : 1.0;
    return unitOrZero(side * d(1, 0).cross(d(1, 1)));
  }
  return unitOrZero(d(1, 0).cross(d(0, 1)));
}

namespace {

PointAndNormal withNormal(const Surface& s, double u, double v, const Vec3& at, const Vec3& du, const Vec3& dv) {
  const Vec3 n = du.cross(dv);
  const double length = n.norm(), lu = du.norm(), lv = dv.norm();
  // Where the sine of the angle or a derivative nearly vanishes, the careful way decides.
  const bool plain = length > 1e-6 * lu * lv && lu > kNearlyCollapsed * lv && lv > kNearlyCollapsed * lu;
  return {at, plain ? Vec3(n / length) : s.normal(u, v)};
}

} // namespace

PointAndNormal Surface::pointAndNormal(double u, double v) const {
  SurfaceDerivatives d;
  derivatives(u, v, 1, d);
  return withNormal(*this, u, v, d(0, 0), d(1, 0), d(0, 1));
}

SurfaceLine::SurfaceLine(const Surface& s, double u) : surface_(s), u_(u), at_(s.sizeV(), 3), du_(s.sizeV(), 3) {
  BasisDerivatives b;
  basisDerivatives(s.knotsU(), s.degreeU(), u, 1, b);
  const size_t width = 3 * size_t(s.sizeV());
  const double* rows = s.grid().data() + b.first * width;
  combineRows(rows, width, b.value[0].data(), s.degreeU() + 1, int(width), at_.data());
  combineRows(rows, width, b.value[1].data(), s.degreeU() + 1, int(width), du_.data());
}

PointAndNormal SurfaceLine::evaluate(double v) const {
  BasisDerivatives b;
  basisDerivatives(surface_.knotsV(), surface_.degreeV(), v, 1, b);
  return evaluate(v, b);
}

FirstDerivatives SurfaceLine::derivatives(const BasisDerivatives& b) const {
  const int count = surface_.degreeV() + 1;
  const double *at = at_.data() + 3 * b.first, *du = du_.data() + 3 * b.first;
  return {weighted(at, b.value[0].data(), count), weighted(du, b.value[0].data(), count),
          weighted(at, b.value[1].data(), count)};
}

PointAndNormal SurfaceLine::evaluate(double v, const BasisDerivatives& b) const {
  const FirstDerivatives d = derivatives(b);
  return withNormal(surface_, u_, v, d.at, d.du, d.dv);
}

void evaluateGrid(const Surface& s, const std::vector<double>& us, const std::vector<double>& vs,
                  std::vector<Vec3>& points, std::vector<Vec3>& normals) {
  std::vector<BasisDerivatives> basis(vs.size());
  for (size_t j = 0; j < vs.size(); ++j) basisDerivatives(s.knotsV(), s.degreeV(), vs[j], 1, basis[j]);
  points.clear();
  normals.clear();
  points.reserve(us.size() * vs.size());
  normals.reserve(us.size() * vs.size());
  for (const double u : us) {
    const SurfaceLine line(s, u);
    for (size_t j = 0; j < vs.size(); ++j) {
      const PointAndNormal at = line.evaluate(vs[j], basis[j]);
      points.push_back(at.point);
      normals.push_back(at.normal);
    }
  }
}

namespace {

/// Of the first or last span: so near to a collapsed edge curvatures are those at this distance from it. Nearer, a normal
/// that wobbles by an unseen part of a degree would bend the surface without bound.
constexpr double kPoleShare = 1e-3;

/// u or v moved away from a collapsed edge that it lies on, or beside.
double awayFromPole(const Knots& U, int p, double u) {
  const size_t n = U.size() - size_t(p) - 1;
  size_t next = size_t(p) + 1, before = n - 1;
  while (next < n && U[next] <= U[size_t(p)]) ++next;
  while (before > size_t(p) && U[before] >= U[n]) --before;
  return std::clamp(u, U[size_t(p)] + kPoleShare * (U[next] - U[size_t(p)]), U[n] - kPoleShare * (U[n] - U[before]));
}

} // namespace

/// Control points seen from one of them: what cancels far from the origin, or beside a pole, cancels exactly.
void Surface::localDerivatives(double u, double v, int order, SurfaceDerivatives& out) const {
  BasisDerivatives bu, bv;
  basisDerivatives(U_, pu_, u, order, bu);
  basisDerivatives(V_, pv_, v, order, bv);
  const int i = u < 0.5 * (firstU() + lastU()) ? bu.first : bu.first + pu_;
  const int j = v < 0.5 * (firstV() + lastV()) ? bv.first : bv.first + pv_;
  const Vec3 centre = point(i, j).transpose();
  double block[3 * (kMaxDegree + 1) * (kMaxDegree + 1)], row[3 * (kMaxDegree + 1)];
  const size_t width = 3 * size_t(pv_ + 1);
  for (int a = 0; a <= pu_; ++a)
    for (int b = 0; b <= pv_; ++b)
      Eigen::Map<Vec3>(block + size_t(a) * width + 3 * size_t(b)) = point(bu.first + a, bv.first + b).transpose() - centre;
  for (int k = 0; k <= order; ++k) {
    combineRows(block, width, bu.value[k].data(), pu_ + 1, int(width), row);
    for (int l = 0; k + l <= order; ++l) out(k, l) = weighted(row, bv.value[l].data(), pv_ + 1);
  }
  out(0, 0) += centre;
}

PrincipalCurvatures Surface::curvatures(double u, double v) const {
  SurfaceDerivatives d;
  localDerivatives(u, v, 2, d);
  const double lu = d(1, 0).norm(), lv = d(0, 1).norm(), scale = std::max({lu, lv, d(1, 1).norm()});
  if (std::min(lu, lv) < kPoleShare * scale) {
    // `scale` may belong to a stretched parametrisation: only a collapsed edge is moved away from.
    const double nearU = lu <= lv ? u : awayFromPole(U_, pu_, u), nearV = lu <= lv ? awayFromPole(V_, pv_, v) : v;
    if (nearU != u || nearV != v) localDerivatives(nearU, nearV, 2, d);
  }
  PrincipalCurvatures out = principalCurvatures(d);
  if (out.normal.isZero()) out.normal = normal(u, v);
  return out;
}

PrincipalCurvatures principalCurvatures(const SurfaceDerivatives& d) {
  PrincipalCurvatures out;
  const double E = d(1, 0).squaredNorm(), F = d(1, 0).dot(d(0, 1)), G = d(0, 1).squaredNorm();
  const double det = E * G - F * F;
  if (!(det > 1e-18 * E * G) || !(E * G > 0)) return out;
  out.normal = d(1, 0).cross(d(0, 1)).normalized();
  const double L = d(2, 0).dot(out.normal), M = d(1, 1).dot(out.normal), N = d(0, 2).dot(out.normal);
  const double H = (E * N - 2 * F * M + G * L) / (2 * det), K = (L * N - M * M) / det;
  const double root = std::sqrt(std::max(0.0, H * H - K));
  out.k1 = H + root, out.k2 = H - root;
  const auto direction = [&](double k) {
    // (II - k I) x = 0: the better conditioned row decides.
    const double a1 = L - k * E, b1 = M - k * F, a2 = M - k * F, b2 = N - k * G;
    const bool firstRow = a1 * a1 + b1 * b1 > a2 * a2 + b2 * b2;
    const double a = firstRow ? a1 : a2, b = firstRow ? b1 : b2;
    return unitOrZero(a == 0 && b == 0 ? d(1, 0) : Vec3(-b * d(1, 0) + a * d(0, 1)));
  };
  out.direction1 = direction(out.k1);
  out.direction2 = unitOrZero(out.normal.cross(out.direction1));
  return out;
}

Spline Surface::isoU(double u) const {
  double N[kMaxDegree + 1];
  const int f = basisFunctions(U_, pu_, u, N), nv = sizeV();
  Points P = Points::Zero(nv, 3);
  for (int i = 0; i <= pu_; ++i) P += N[i] * grid_.middleRows((f + i) * nv, nv);
  return Spline::trusted(pv_, V_, std::move(P));
}

Spline Surface::isoV(double v) const {
  double N[kMaxDegree + 1];
  const int f = basisFunctions(V_, pv_, v, N), nu = sizeU(), nv = sizeV();
  Points P = Points::Zero(nu, 3);
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j <= pv_; ++j) P.row(i) += N[j] * grid_.row(i * nv + f + j);
  return Spline::trusted(pu_, U_, std::move(P), closedU_);
}

std::size_t Surface::cellAt(double u, double v) const {
  double N[kMaxDegree + 1];
  return std::size_t(basisFunctions(U_, pu_, u, N)) * std::size_t(sizeV()) + std::size_t(basisFunctions(V_, pv_, v, N));
}

int Surface::smoothness() const {
  int least = 99;
  const auto look = [&](const Knots& U, int p) {
    const auto b = breakpoints(U, p);
    for (size_t k = 1; k + 1 < b.size(); ++k) least = std::min(least, p - multiplicity(U, b[k]));
  };
  look(U_, pu_), look(V_, pv_);
  return least;
}

namespace {
bool collapsed(const Surface& s, int j, LengthTolerance point) {
  for (int i = 1; i < s.sizeU(); ++i)
    if ((s.point(i, j) - s.point(0, j)).norm() > point.mm) return false;
  return true;
}
} // namespace

Surface withExactPoles(const Surface& s, LengthTolerance point) {
  Surface out = s;
  const int nu = s.sizeU(), nv = s.sizeV();
  // First and last control point of each side, and the step between them.
  const std::array<std::array<int, 3>, 4> sides{
      {{0, nv - 1, 1}, {(nu - 1) * nv, nu * nv - 1, 1}, {0, (nu - 1) * nv, nv}, {nv - 1, nu * nv - 1, nv}}};
  for (const auto& [first, last, step] : sides) {
    const Vec3 at = 0.5 * (out.grid().row(first) + out.grid().row(last)).transpose();
    bool one = true;
    for (int i = first; i <= last && one; i += step) one = (s.grid().row(i).transpose() - at).norm() <= 0.5 * point.mm;
    for (int i = first; i <= last && one; i += step) out.point(i / nv, i % nv) = at.transpose();
  }
  return out;
}

bool Surface::poleAtFirstV(LengthTolerance point) const { return collapsed(*this, 0, point); }
bool Surface::poleAtLastV(LengthTolerance point) const { return collapsed(*this, sizeV() - 1, point); }

Surface transformed(const Surface& s, const Eigen::Affine3d& t) {
  Points P = s.grid();
  for (Eigen::Index i = 0; i < P.rows(); ++i) P.row(i) = (t * Vec3(P.row(i).transpose())).transpose();
  return Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), s.knotsV(), std::move(P), s.closedU());
}

Surface reversedU(const Surface& s) {
  Knots U(s.knotsU().rbegin(), s.knotsU().rend());
  for (double& u : U) u = s.firstU() + s.lastU() - u;
  Points P(s.grid().rows(), 3);
  for (int i = 0; i < s.sizeU(); ++i)
    P.middleRows(i * s.sizeV(), s.sizeV()) = s.grid().middleRows((s.sizeU() - 1 - i) * s.sizeV(), s.sizeV());
  return Surface::trusted(s.degreeU(), s.degreeV(), std::move(U), s.knotsV(), std::move(P), s.closedU());
}

Surface exchanged(const Surface& s, bool closedU) {
  Points P(s.grid().rows(), 3);
  for (int i = 0; i < s.sizeU(); ++i)
    for (int j = 0; j < s.sizeV(); ++j) P.row(j * s.sizeU() + i) = s.point(i, j);
  return Surface::trusted(s.degreeV(), s.degreeU(), s.knotsV(), s.knotsU(), std::move(P), closedU);
}

Surface insertKnotU(const Surface& s, double u) {
  Points P((s.sizeU() + 1) * s.sizeV(), 3);
  Knots U;
  for (int j = 0; j < s.sizeV(); ++j) {
    Points column(s.sizeU(), 3);
    for (int i = 0; i < s.sizeU(); ++i) column.row(i) = s.point(i, j);
    const Spline c = insertKnot(Spline::trusted(s.degreeU(), s.knotsU(), std::move(column)), u);
    if (c.size() == s.sizeU()) return s;
    U = c.knots();
    for (int i = 0; i < c.size(); ++i) P.row(i * s.sizeV() + j) = c.points().row(i);
  }
  return Surface::trusted(s.degreeU(), s.degreeV(), std::move(U), s.knotsV(), std::move(P), s.closedU());
}

Surface insertKnotV(const Surface& s, double v) {
  Points P(s.sizeU() * (s.sizeV() + 1), 3);
  Knots V;
  for (int i = 0; i < s.sizeU(); ++i) {
    const Spline row = Spline::trusted(s.degreeV(), s.knotsV(), s.grid().middleRows(i * s.sizeV(), s.sizeV()));
    const Spline c = insertKnot(row, v);
    if (c.size() == s.sizeV()) return s;
    V = c.knots();
    P.middleRows(i * c.size(), c.size()) = c.points();
  }
  return Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), std::move(V), std::move(P), s.closedU());
}

Surface portion(const Surface& s, double u0, double u1, double v0, double v1) {
  const auto part = [](const Spline& c, double a, double b) {
    const bool whole = a <= c.first() && b >= c.last();
    const auto cut = whole ? Expected<Spline>(c) : nurbs::portion(c, std::max(a, c.first()), std::min(b, c.last()));
    return normalised(cut ? *cut : c);
  };
  const bool closed = s.closedU() && u0 <= s.firstU() && u1 >= s.lastU();
  std::vector<Spline> columns;
  for (int j = 0; j < s.sizeV(); ++j) {
    Points column(s.sizeU(), 3);
    for (int i = 0; i < s.sizeU(); ++i) column.row(i) = s.point(i, j);
    columns.push_back(part(Spline::trusted(s.degreeU(), s.knotsU(), std::move(column)), u0, u1));
  }
  const int nu = columns[0].size();
  std::vector<Spline> rows;
  for (int i = 0; i < nu; ++i) {
    Points row(s.sizeV(), 3);
    for (int j = 0; j < s.sizeV(); ++j) row.row(j) = columns[size_t(j)].points().row(i);
    rows.push_back(part(Spline::trusted(s.degreeV(), s.knotsV(), std::move(row)), v0, v1));
  }
  const int nv = rows[0].size();
  Points P(nu * nv, 3);
  for (int i = 0; i < nu; ++i) P.middleRows(i * nv, nv) = rows[size_t(i)].points();
  return Surface::trusted(s.degreeU(), s.degreeV(), columns[0].knots(), rows[0].knots(), std::move(P), closed);
}

Surface mirrored(const Surface& s, const Vec3& origin, const Vec3& n) {
  Points P = s.grid();
  for (Eigen::Index i = 0; i < P.rows(); ++i) {
    const Vec3 p = P.row(i).transpose();
    P.row(i) = (p - 2 * (p - origin).dot(n) * n).transpose();
  }
  return Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), s.knotsV(), std::move(P), s.closedU());
}

} // namespace lumsk::nurbs
