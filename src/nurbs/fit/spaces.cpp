#include "nurbs/fit/spaces.h"

#include "nurbs/fit/interpolate.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

Knots knotsOfBoth(const Knots& a, const Knots& b) {
  Knots out = a;
  for (size_t i = 0; i < b.size();) {
    const size_t n = size_t(multiplicity(b, b[i]));
    const int there = multiplicity(a, b[i]);
    for (int k = there; k < int(n); ++k) out.push_back(b[i]);
    i += n;
  }
  std::sort(out.begin(), out.end());
  return out;
}

Rows rowsThrough(int p, const Knots& U, Rows values) {
  const std::vector<double> at = greville(U, p);
  BandedLu A(int(at.size()), p, p);
  double N[kMaxDegree + 1];
  for (int i = 0; i < int(at.size()); ++i) {
    const int first = basisFunctions(U, p, at[size_t(i)], N);
    for (int j = 0; j <= p; ++j)
      if (std::abs(first + j - i) <= p) A.at(i, first + j) = N[j];
  }
  A.factor();
  A.solve(values);
  return values;
}

Eigen::RowVectorXd valueOf(int p, const Knots& U, const Rows& rows, double t, int order) {
  BasisDerivatives b;
  basisDerivatives(U, p, t, order, b);
  Eigen::RowVectorXd v = Eigen::RowVectorXd::Zero(rows.cols());
  for (int j = 0; j <= p; ++j) v += b.value[size_t(order)][size_t(j)] * rows.row(b.first + j);
  return v;
}

Rows rowsIn(int fromDegree, const Knots& from, const Rows& rows, int p, const Knots& to) {
  const std::vector<double> at = greville(to, p);
  Rows values(Eigen::Index(at.size()), rows.cols());
  for (size_t i = 0; i < at.size(); ++i) values.row(Eigen::Index(i)) = valueOf(fromDegree, from, rows, at[i]);
  return rowsThrough(p, to, std::move(values));
}

Rows rowsAcross(const Surface& s) {
  Rows rows(s.sizeV(), 3 * s.sizeU());
  for (int i = 0; i < s.sizeU(); ++i)
    for (int j = 0; j < s.sizeV(); ++j) rows.row(j).segment<3>(3 * i) = s.point(i, j);
  return rows;
}

Surface withSpaceV(const Surface& s, int degree, const Knots& knots) {
  const Eigen::Index nu = s.sizeU();
  const Rows in = rowsIn(s.degreeV(), s.knotsV(), rowsAcross(s), degree, knots);
  Points grid(nu * in.rows(), 3);
  for (Eigen::Index i = 0; i < nu; ++i)
    for (Eigen::Index j = 0; j < in.rows(); ++j) grid.row(i * in.rows() + j) = in.row(j).segment<3>(3 * i);
  return Surface::trusted(s.degreeU(), degree, s.knotsU(), knots, std::move(grid), s.closedU());
}

namespace {

Expected<Rows> cardinalAround(int p, const Knots& knots, const std::vector<double>& at) {
  const int n = int(at.size()), c = int(knots.size()) - p - 1, seam = kMaxDerivative + 1, size = c + n + seam;
  Eigen::MatrixXd A = Eigen::MatrixXd::Zero(size, size);
  BasisDerivatives b, e;
  const auto breaks = breakpoints(knots, p);
  for (size_t k = 0; k + 1 < breaks.size(); ++k)
    for (double x : {-0.7745966692414834, 0.0, 0.7745966692414834}) {
      const double h = 0.5 * (breaks[k + 1] - breaks[k]), w = h * (x == 0.0 ? 8.0 / 9 : 5.0 / 9);
      basisDerivatives(knots, p, breaks[k] + h * (1 + x), 3, b);
      for (int i = 0; i <= p; ++i)
        for (int j = 0; j <= p; ++j) A(b.first + i, b.first + j) += w * b.value[3][i] * b.value[3][j];
    }
  A.topLeftCorner(c, c) /= A.topLeftCorner(c, c).cwiseAbs().maxCoeff();
  for (int k = 0; k < n; ++k) {
    basisDerivatives(knots, p, at[size_t(k)], 0, b);
    for (int i = 0; i <= p; ++i) A(c + k, b.first + i) = A(b.first + i, c + k) = b.value[0][i];
  }
  for (int d = 0; d < seam; ++d) {
    basisDerivatives(knots, p, knots.front(), d, b);
    basisDerivatives(knots, p, knots.back(), d, e);
    const double scale = std::abs(b.value[d][0]);
    for (int i = 0; i <= p; ++i) {
      A(c + n + d, b.first + i) += b.value[d][i] / scale;
      A(c + n + d, e.first + i) -= e.value[d][i] / scale;
    }
    A.block(0, c + n + d, c, 1) = A.block(c + n + d, 0, 1, c).transpose();
  }
  Eigen::MatrixXd rhs = Eigen::MatrixXd::Zero(size, n);
  for (int k = 0; k < n; ++k) rhs(c + k, k) = 1.0;
  const Eigen::MatrixXd x = A.partialPivLu().solve(rhs);
  if (!x.allFinite())
    return fail(problem("LM-G008", "the crossings cannot be joined around").tryThis("space them more evenly"));
  return Rows(x.topRows(c).transpose());
}

} // namespace

Expected<Rows> cardinalFunctions(int degree, const Knots& knots, const std::vector<double>& at, bool periodic) {
  if (periodic) return cardinalAround(degree, knots, at);
  const int n = int(at.size());
  const Eigen::Index controls = Eigen::Index(knots.size()) - degree - 1;
  if (n == 1) return Rows(Rows::Ones(1, controls));
  const int p = std::min(n - 1, 5);
  LUMSK_TRY(rows, interpolateRows(at, Rows::Identity(n, n), p, Rows(0, n), Rows(0, n)));
  return Rows(rowsIn(p, rows.knots, rows.controls, degree, knots).transpose());
}

} // namespace lumsk::nurbs
