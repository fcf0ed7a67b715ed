#pragma once
#include "nurbs/core/spline.h"

namespace lumsk::nurbs {

/// S and its partial derivatives: (i, j) is the i-th in u and j-th in v, i + j <= order.
class SurfaceDerivatives {
public:
  Vec3& operator()(int i, int j) { return d_[i * 4 + j]; }
  const Vec3& operator()(int i, int j) const { return d_[i * 4 + j]; }

private:
  std::array<Vec3, 16> d_;
};

/// Principal curvatures (1/mm, k1 >= k2, positive where the surface bends towards its normal) and their directions.
struct PrincipalCurvatures {
  double k1 = 0.0, k2 = 0.0;
  Vec3 normal = Vec3::Zero(), direction1 = Vec3::Zero(), direction2 = Vec3::Zero();
};

/// From derivatives to order 2 at a place with a normal; all zero where there is none.
PrincipalCurvatures principalCurvatures(const SurfaceDerivatives& d);

struct PointAndNormal {
  Vec3 point, normal;
};

/// Polynomial tensor B-spline surface with clamped knots. The control grid is row-major: point (i, j) with i along u
/// (0..nu-1) and j along v (0..nv-1) is row i * nv + j of an n x 3 matrix, mm.
class Surface {
public:
  Surface() = default;
  static Surface trusted(int degreeU, int degreeV, Knots U, Knots V, Points grid, bool closedU);

  int degreeU() const { return pu_; }
  int degreeV() const { return pv_; }
  const Knots& knotsU() const { return U_; }
  const Knots& knotsV() const { return V_; }
  const Points& grid() const { return grid_; }
  int sizeU() const { return int(U_.size()) - pu_ - 1; }
  int sizeV() const { return int(V_.size()) - pv_ - 1; }
  int controlPoints() const { return int(grid_.rows()); }
  bool closedU() const { return closedU_; }
  double firstU() const { return U_[pu_]; }
  double lastU() const { return U_[sizeU()]; }
  double firstV() const { return V_[pv_]; }
  double lastV() const { return V_[sizeV()]; }
  auto point(int i, int j) const { return grid_.row(i * sizeV() + j); }
  auto point(int i, int j) { return grid_.row(i * sizeV() + j); }

  Vec3 at(double u, double v) const;
  void derivatives(double u, double v, int order, SurfaceDerivatives& out) const;
  /// Unit normal S_u x S_v; at a pole or a collapsed edge its limit. Zero only where the surface has none.
  Vec3 normal(double u, double v) const;
  /// Both at the price of first derivatives.
  PointAndNormal pointAndNormal(double u, double v) const;
  /// All zero where the surface has no normal; at a collapsed edge those close to it.
  PrincipalCurvatures curvatures(double u, double v) const;

  Spline isoU(double u) const; ///< curve along v at fixed u
  Spline isoV(double v) const; ///< curve along u at fixed v

  /// Number of the knot spans that a place lies in, over the whole grid of them.
  std::size_t cellAt(double u, double v) const;
  /// Derivatives that agree over all inner knots; 99 when there are none.
  int smoothness() const;

  /// True when the whole edge v = first (or last) is one point within `point`.
  bool poleAtFirstV(LengthTolerance point) const;
  bool poleAtLastV(LengthTolerance point) const;

private:
  /// As `derivatives`, to full precision beside poles and far from the origin.
  void localDerivatives(double u, double v, int order, SurfaceDerivatives& out) const;

  int pu_ = 1, pv_ = 1;
  Knots U_, V_;
  Points grid_;
  bool closedU_ = false;
};

struct FirstDerivatives {
  Vec3 at, du, dv;
};

/// A surface held at one u: evaluations along it cost what a curve's do.
class SurfaceLine {
public:
  SurfaceLine(const Surface& s, double u); ///< the surface must outlive it
  PointAndNormal evaluate(double v) const;
  /// As above with the basis of v and its first derivatives computed before.
  PointAndNormal evaluate(double v, const BasisDerivatives& basis) const;
  FirstDerivatives derivatives(const BasisDerivatives& basis) const;

private:
  const Surface& surface_;
  double u_;
  Points at_, du_; ///< control points of S and S_u along v
};

/// Points and unit normals at all (u, v), row-major with v running fastest.
void evaluateGrid(const Surface& s, const std::vector<double>& us, const std::vector<double>& vs,
                  std::vector<Vec3>& points, std::vector<Vec3>& normals);

/// Sides that are one point within `point` made exactly one.
Surface withExactPoles(const Surface& s, LengthTolerance point);
/// Moved, turned, mirrored or scaled: its control points are.
Surface transformed(const Surface& s, const Eigen::Affine3d& t);
/// Same shape with u reversed: the normal turns over.
Surface reversedU(const Surface& s);
/// Same shape with u and v exchanged: the normal turns over. What is closed in u is told by the knots only, afterwards.
Surface exchanged(const Surface& s, bool closedU = false);
Surface insertKnotU(const Surface& s, double u);
/// The part over [u0, u1] x [v0, v1], its domain made [0, 1]^2; parts of closed surfaces are open.
Surface portion(const Surface& s, double u0, double u1, double v0, double v1);
/// The mirror image in a plane, same parameters: the normal turns over with respect to the image of the old one.
Surface mirrored(const Surface& s, const Vec3& origin, const Vec3& unitNormal);
Surface insertKnotV(const Surface& s, double v);

} // namespace lumsk::nurbs
