#include "nurbs/joins/side_conditions.h"

#include "nurbs/fit/spaces.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

/// The surface as rows of control points across a side: row k holds all points of line k, x y z of point 0, 1, ...
struct Across {
  int degree;
  Knots knots;
  Rows rows;
};

bool alongU(Side side) { return side == FirstU || side == LastU; }
bool atFirst(Side side) { return side == FirstU || side == FirstV; }

Across across(const Surface& s, Side side) {
  const int nu = s.sizeU(), nv = s.sizeV();
  if (alongU(side)) return {s.degreeU(), s.knotsU(), Eigen::Map<const Rows>(s.grid().data(), nu, 3 * nv)};
  return {s.degreeV(), s.knotsV(), rowsAcross(s)};
}

Surface withRows(const Surface& s, Side side, const Rows& rows) {
  const int nu = s.sizeU(), nv = s.sizeV();
  Points grid(nu * nv, 3);
  for (int i = 0; i < nu; ++i)
    for (int j = 0; j < nv; ++j)
      grid.row(i * nv + j) = alongU(side) ? rows.row(i).segment<3>(3 * j) : rows.row(j).segment<3>(3 * i);
  return Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), s.knotsV(), std::move(grid), s.closedU());
}

/// Inserts knots until the functions exist.
std::pair<Surface, Rows> withRoom(Surface s, Side side, int most, const std::vector<double>& keep, EndShape shape) {
  for (;;) {
    const Across a = across(s, side);
    if (auto c = endFunctions(a.degree, a.knots, atFirst(side), {most, keep, shape}))
      return {std::move(s), std::move(*c)};
    // The span nearest to the side that is longer than half of the next one is halved.
    std::vector<double> b = breakpoints(a.knots, a.degree);
    if (!atFirst(side)) std::reverse(b.begin(), b.end());
    size_t pick = 0;
    for (size_t k = 1; k + 1 < b.size() && k < 4; ++k)
      if (std::abs(b[k + 1] - b[k]) > 1.5 * std::abs(b[pick + 1] - b[pick])) pick = k;
    const double at = 0.5 * (b[pick] + b[pick + 1]);
    s = alongU(side) ? insertKnotU(s, at) : insertKnotV(s, at);
  }
}

/// Adds to every order the change that the given projection of the derivative asks for.
template <class Change>
Surface corrected(const Surface& given, Side side, int most, const std::vector<double>& keep, EndShape shape,
                  Change change) {
  auto [s, c] = withRoom(given, side, most, keep, shape);
  Across a = across(s, side);
  BasisDerivatives b;
  basisDerivatives(a.knots, a.degree, atFirst(side) ? a.knots.front() : a.knots.back(), 3, b);
  Rows add = Rows::Zero(most + 1, a.rows.cols());
  for (int k = 0; k <= most; ++k) {
    Eigen::RowVectorXd d = Eigen::RowVectorXd::Zero(a.rows.cols());
    for (int i = 0; i <= a.degree; ++i) d += b.value[k][i] * a.rows.row(b.first + i);
    for (Eigen::Index p = 0; p < d.size() / 3; ++p)
      add.row(k).segment<3>(3 * p) = change(k, Vec3(d.segment<3>(3 * p).transpose())).transpose();
  }
  a.rows += c.transpose() * add;
  return withRows(s, side, a.rows);
}

} // namespace

PlaneLeaving leavingPlane(const CurveDerivatives& d, const Vec3& n) {
  const double v = d[1].norm();
  const Vec3 t = d[1] / v;
  const Vec3 bend = (d[2] - d[2].dot(t) * t) / (v * v);
  const Vec3 rate = d[3] / (v * v * v) - 3 * d[2].dot(t) / (v * v) * bend;
  return {angleBetweenRad(d[1], d[1].dot(n) < 0 ? Vec3(-n) : n), (rate - rate.dot(t) * t).norm()};
}

std::optional<Rows> endFunctions(int p, const Knots& U, bool first, const EndFunctionOptions& o) {
  const int n = int(U.size()) - p - 1, most = o.most;
  const double here = first ? U.front() : U.back(), there = first ? U.back() : U.front();
  const double whole = std::abs(there - here), eps = 1e-9 * whole;
  std::vector<std::pair<double, int>> conditions; // place, order; those at the end itself first
  for (int k = 0; k <= most; ++k) conditions.emplace_back(here, k);
  for (double v : o.keep)
    if (std::abs(v - here) > eps && std::abs(v - there) > eps) conditions.emplace_back(v, 0);
  std::vector<int> nought; // control values that reach too far
  for (int i = 0; i < n && o.reach < 1; ++i)
    if (std::abs((first ? U[size_t(i + p + 1)] : U[size_t(i)]) - here) > o.reach * whole + eps) nought.push_back(i);
  for (int k = 0; k <= o.far && nought.empty(); ++k) conditions.emplace_back(there, k);
  const int derived = int(conditions.size()), m = derived + int(nought.size());
  if (n < m + (o.spare ? 1 : 0)) return {};
  Eigen::MatrixXd A = Eigen::MatrixXd::Zero(n + m, n + m);
  BasisDerivatives b;
  // Energy of the third derivative; a little of the first keeps it definite.
  const std::vector<double> breaks = breakpoints(U, p);
  if (o.shape == EndShape::Local) A.topLeftCorner(n, n).setIdentity();
  for (size_t k = 0; k + 1 < breaks.size() && o.shape == EndShape::Smooth; ++k)
    for (double x : {-0.7745966692414834, 0.0, 0.7745966692414834}) {
      const double h = 0.5 * (breaks[k + 1] - breaks[k]), w = h * (x == 0.0 ? 8.0 / 9 : 5.0 / 9);
      basisDerivatives(U, p, breaks[k] + h * (1 + x), 3, b);
      for (int i = 0; i <= p; ++i)
        for (int j = 0; j <= p; ++j)
          A(b.first + i, b.first + j) +=
              w * (b.value[3][i] * b.value[3][j] * std::pow(whole, 5) + 1e-6 * b.value[1][i] * b.value[1][j] * whole);
    }
  // Each control value in its own measure: beside short spans energies differ by many powers of ten.
  const Eigen::VectorXd own = A.diagonal().head(n).cwiseSqrt().cwiseInverse();
  A.topLeftCorner(n, n) = own.asDiagonal() * A.topLeftCorner(n, n) * own.asDiagonal();
  const double least = own.minCoeff();
  Eigen::MatrixXd rhs = Eigen::MatrixXd::Zero(n + m, most + 1);
  for (int r = 0; r < m; ++r) {
    Eigen::RowVectorXd row = Eigen::RowVectorXd::Zero(n);
    if (r < derived) {
      const auto& [place, order] = conditions[size_t(r)];
      basisDerivatives(U, p, place, order, b);
      for (int i = 0; i <= p; ++i) row[b.first + i] = b.value[size_t(order)][size_t(i)] * own[b.first + i];
    } else {
      row[nought[size_t(r - derived)]] = least;
    }
    const double largest = row.cwiseAbs().maxCoeff();
    if (r <= most) rhs(n + r, r) = 1.0 / largest;
    A.block(n + r, 0, 1, n) = row / largest;
    A.block(0, n + r, n, 1) = row.transpose() / largest;
  }
  const Eigen::FullPivLU<Eigen::MatrixXd> lu(A);
  if (lu.rank() < n + m) return {};
  const Eigen::MatrixXd c = own.asDiagonal() * lu.solve(rhs).topRows(n);
  return Rows(c.transpose());
}

Surface meetingPlane(const Surface& s, Side side, const Vec3& origin, const Vec3& normal, Meets meets,
                     const std::vector<double>& keep, EndShape shape) {
  if (meets == Meets::Free) return s;
  const Vec3 n = normal.normalized();
  return corrected(s, side, meets == Meets::Mirror ? 3 : 1, keep, shape, [&](int order, const Vec3& d) -> Vec3 {
    const Vec3 along = n * (order == 0 ? (d - origin).dot(n) : d.dot(n));
    return order % 2 == 0 ? Vec3(-along) : Vec3(along - d); // even orders lie in the plane, odd ones along its normal
  });
}

Surface addedAtSide(const Surface& given, Side side, const Rows& add, const std::vector<double>& keep, EndShape shape) {
  auto [s, c] = withRoom(given, side, int(add.rows()) - 1, keep, shape);
  Across a = across(s, side);
  a.rows += c.transpose() * add;
  return withRows(s, side, a.rows);
}

Surface flatPole(const Surface& s, Side side, const Vec3& normal, const std::vector<double>& keep) {
  const Vec3 n = normal.normalized();
  return corrected(s, side, 1, keep, EndShape::Smooth,
                   [&](int order, const Vec3& d) -> Vec3 { return order == 0 ? Vec3::Zero() : Vec3(-n * d.dot(n)); });
}

namespace {

/// Knots of a half and of its image before it; the seam keeps `times` of its knots.
Knots doubled(const Knots& U, int p, int times, bool behind) {
  const double a = U.front(), b = U.back();
  Knots own(U.begin() + p + 1, U.end() - p - 1), out;
  const double at = behind ? b : a;
  std::vector<double> inner;
  for (double u : own) inner.push_back(u), inner.push_back(2 * at - u);
  for (int i = 0; i < times; ++i) inner.push_back(at);
  std::sort(inner.begin(), inner.end());
  const double first = behind ? a : 2 * a - b, last = behind ? 2 * b - a : b;
  out.assign(size_t(p + 1), first);
  out.insert(out.end(), inner.begin(), inner.end());
  out.insert(out.end(), size_t(p + 1), last);
  return out;
}

double differenceOf(int p, const Knots& U, const Rows& a, const Knots& V, const Rows& b) {
  double worst = 0, N[kMaxDegree + 1];
  const auto breaks = breakpoints(U, p);
  for (size_t k = 0; k + 1 < breaks.size(); ++k)
    for (double x : {0.11, 0.37, 0.63, 0.89}) {
      const double t = breaks[k] + x * (breaks[k + 1] - breaks[k]);
      Eigen::RowVectorXd d = Eigen::RowVectorXd::Zero(a.cols());
      int f = basisFunctions(U, p, t, N);
      for (int j = 0; j <= p; ++j) d += N[j] * a.row(f + j);
      f = basisFunctions(V, p, t, N);
      for (int j = 0; j <= p; ++j) d -= N[j] * b.row(f + j);
      for (Eigen::Index c = 0; c < d.size() / 3; ++c) worst = std::max(worst, d.segment<3>(3 * c).norm());
    }
  return worst;
}

} // namespace

JoinedImage joinedWithImage(const Surface& s, const std::vector<Side>& sides, const Frame& plane, LengthTolerance fit) {
  const bool both = sides.size() == 2;
  // With both sides the image goes behind, and the seam of the closed surface lies at the first side.
  const Side side = both ? LastU : sides.front();
  const bool behind = !atFirst(side);
  const Across a = across(s, side);
  const Eigen::Index n = a.rows.rows();
  Rows twice(2 * n - 1, a.rows.cols());
  for (Eigen::Index i = 0; i < n; ++i) {
    twice.row(behind ? i : n - 1 + i) = a.rows.row(i);
    Eigen::RowVectorXd image = a.rows.row(i);
    for (Eigen::Index c = 0; c < image.size() / 3; ++c)
      image.segment<3>(3 * c) = mirroredPoint(image.segment<3>(3 * c).transpose(), plane).transpose();
    if (i != (behind ? n - 1 : 0)) twice.row(behind ? 2 * n - 2 - i : n - 1 - i) = image;
  }
  const Knots full = doubled(a.knots, a.degree, a.degree, behind);
  JoinedImage out;
  Rows rows = twice;
  Knots knots = full;
  for (int times = 1; times < a.degree; ++times) {
    const Knots lean = doubled(a.knots, a.degree, times, behind);
    const Rows fewer = rowsIn(a.degree, full, twice, a.degree, lean);
    const double off = differenceOf(a.degree, full, twice, lean, fewer);
    if (off > fit.mm) continue;
    rows = fewer;
    knots = lean;
    out.offMm = off;
    break;
  }
  if (both) rows.bottomRows(1) = rows.topRows(1);
  const double k0 = knots.front(), w = knots.back() - k0;
  for (double& k : knots) k = (k - k0) / w;
  const Eigen::Index m = rows.rows(), other = rows.cols() / 3;
  Points grid(m * other, 3);
  for (Eigen::Index i = 0; i < m; ++i)
    for (Eigen::Index j = 0; j < other; ++j)
      grid.row(alongU(side) ? i * other + j : j * m + i) = rows.row(i).segment<3>(3 * j);
  out.surface = alongU(side) ? Surface::trusted(a.degree, s.degreeV(), knots, s.knotsV(), std::move(grid), both)
                             : Surface::trusted(s.degreeU(), a.degree, s.knotsU(), knots, std::move(grid), s.closedU());
  return out;
}

Expected<Frame> planeOfSide(const Points& pts, const std::optional<Frame>& picked, const Vec3& square,
                            LengthTolerance point, const SideName& name) {
  const PlaneOfPoints own = fitPlane(pts);
  const Vec3 start = pts.row(0).transpose();
  Frame f = picked ? *picked : own.frame;
  if (!picked && !own.unique) {
    const Vec3 line = (pts.row(pts.rows() - 1) - pts.row(0)).transpose().normalized();
    const Vec3 n = square - square.dot(line) * line;
    if (!(n.norm() > 1e-6))
      return fail(problem(name.code, name.who + " lies in many planes").at(start).tryThis("pick the mirror plane"));
    f = Frame::fromNormal(start, n);
  }
  double off = 0;
  Vec3 at = start;
  for (Eigen::Index i = 0; i < pts.rows(); ++i)
    if (const double d = std::abs(f.local(pts.row(i).transpose()).z()); d > off) off = d, at = pts.row(i).transpose();
  const double near = 10 * point.mm;
  if (off <= near) return f;
  return fail(problem(name.code, name.who + " does not lie in the mirror plane")
                  .measure(millimetres(off))
                  .want(millimetres(near))
                  .at(at)
                  .tryThis("move it into the plane, or leave it free"));
}

} // namespace lumsk::nurbs
