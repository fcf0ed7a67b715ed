#include "nurbs/surface.h"

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

Vec3 Surface::at(double u, double v) const {
  double Nu[kMaxDegree + 1], Nv[kMaxDegree + 1];
  const int fu = basisFunctions(U_, pu_, u, Nu), fv = basisFunctions(V_, pv_, v, Nv);
  const int nv = sizeV();
  Vec3 p = Vec3::Zero();
  for (int i = 0; i <= pu_; ++i) {
    Vec3 row = Vec3::Zero();
    for (int j = 0; j <= pv_; ++j) row += Nv[j] * grid_.row((fu + i) * nv + fv + j).transpose();
    p += Nu[i] * row;
  }
  return p;
}

void Surface::derivatives(double u, double v, int order, SurfaceDerivatives& out) const {
  BasisDerivatives bu, bv;
  basisDerivatives(U_, pu_, u, order, bu);
  basisDerivatives(V_, pv_, v, order, bv);
  const int nv = sizeV();
  Vec3 rows[kMaxDegree + 1];
  for (int l = 0; l <= order; ++l) {
    for (int i = 0; i <= pu_; ++i) {
      Vec3 r = Vec3::Zero();
      for (int j = 0; j <= pv_; ++j) r += bv.value[l][j] * grid_.row((bu.first + i) * nv + bv.first + j).transpose();
      rows[i] = r;
    }
    for (int k = 0; k + l <= order; ++k) {
      Vec3 d = Vec3::Zero();
      for (int i = 0; i <= pu_; ++i) d += bu.value[k][i] * rows[i];
      out(k, l) = d;
    }
  }
}

namespace {

/// Relative length below which a partial derivative counts as vanished.
constexpr double kCollapsed = 1e-9;

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

PrincipalCurvatures Surface::curvatures(double u, double v) const {
  SurfaceDerivatives d;
  derivatives(u, v, 2, d);
  PrincipalCurvatures out;
  const double E = d(1, 0).squaredNorm(), F = d(1, 0).dot(d(0, 1)), G = d(0, 1).squaredNorm();
  const double det = E * G - F * F;
  if (!(det > 1e-18 * E * G) || !(E * G > 0)) {
    out.normal = normal(u, v);
    return out;
  }
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

namespace {
bool collapsed(const Surface& s, int j, LengthTolerance point) {
  for (int i = 1; i < s.sizeU(); ++i)
    if ((s.point(i, j) - s.point(0, j)).norm() > point.mm) return false;
  return true;
}
} // namespace

bool Surface::poleAtFirstV(LengthTolerance point) const { return collapsed(*this, 0, point); }
bool Surface::poleAtLastV(LengthTolerance point) const { return collapsed(*this, sizeV() - 1, point); }

Surface transformed(const Surface& s, const Eigen::Isometry3d& t) {
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

} // namespace lumsk::nurbs
