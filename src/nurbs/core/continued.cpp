#include "nurbs/core/continued.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

/// Bezier points over [0, by] of the Taylor polynomial with these derivatives, by its blossom (Ramshaw 1987).
Points taylorRow(const CurveDerivatives& d, int order, double by, int degree) {
  Points out = Points::Zero(degree + 1, 3);
  for (int j = 0; j <= degree; ++j) {
    double share = 1; // by^k / k! times how many times k of j are chosen, of k of the degree
    for (int k = 0; k <= std::min(order, j); ++k) {
      out.row(j) += share * d[size_t(k)].transpose();
      share *= by / (k + 1) * (j - k) / (degree - k);
    }
  }
  return out;
}

/// The blossom of a Bezier curve over [0, 1] at arguments (de Casteljau's steps, one argument each).
Vec3 blossom(Points row, const std::vector<double>& args) {
  for (double a : args)
    for (Eigen::Index i = 0; i + 1 < row.rows(); ++i) row.row(i) = (1 - a) * row.row(i) + a * row.row(i + 1);
  return row.row(0).transpose();
}

Surface beyondLastV(const Surface& s, double by, int order) {
  const int n = s.sizeV(), k = std::min(order, s.degreeV());
  std::vector<Points> rows;
  for (int i = 0; i < s.sizeU(); ++i) {
    CurveDerivatives d{};
    Spline::trusted(s.degreeV(), s.knotsV(), s.grid().middleRows(i * n, n)).derivatives(s.lastV(), k, d);
    rows.push_back(taylorRow(d, k, by, s.degreeV()));
  }
  return withSpan(s, by, k, rows);
}

} // namespace

Surface withSpan(const Surface& s, double by, int order, const std::vector<Points>& rows) {
  const int p = s.degreeV(), n = s.sizeV(), kept = n - order - 1;
  const double end = s.lastV();
  Knots V(s.knotsV().begin(), s.knotsV().end() - (p + 1));
  V.insert(V.end(), size_t(p - order), end);
  V.insert(V.end(), size_t(p + 1), end + by);
  const int wide = n + p - order;
  Points grid(s.sizeU() * wide, 3);
  for (int i = 0; i < s.sizeU(); ++i)
    for (int j = 0; j < wide; ++j) {
      if (j < kept) {
        grid.row(i * wide + j) = s.point(i, j);
        continue;
      }
      std::vector<double> args;
      for (int k = 1; k <= p; ++k) args.push_back((V[size_t(j + k)] - end) / by);
      grid.row(i * wide + j) = blossom(rows[size_t(i)], args).transpose();
    }
  return Surface::trusted(s.degreeU(), p, s.knotsU(), std::move(V), std::move(grid), s.closedU());
}

Surface turnedV(const Surface& s) {
  Knots V(s.knotsV().rbegin(), s.knotsV().rend());
  for (double& x : V) x = -x;
  Points grid(s.grid().rows(), 3);
  const int n = s.sizeV();
  for (int i = 0; i < s.sizeU(); ++i)
    for (int j = 0; j < n; ++j) grid.row(i * n + j) = s.point(i, n - 1 - j);
  return Surface::trusted(s.degreeU(), s.degreeV(), s.knotsU(), std::move(V), std::move(grid), s.closedU());
}

Surface continued(const Surface& s, const std::array<double, 4>& by, int order) {
  Surface out = s;
  if (by[3] > 0) out = beyondLastV(out, by[3], order);
  if (by[2] > 0) out = turnedV(beyondLastV(turnedV(out), by[2], order));
  if (out.closedU() || !(by[0] > 0 || by[1] > 0)) return out;
  out = exchanged(out);
  if (by[1] > 0) out = beyondLastV(out, by[1], order);
  if (by[0] > 0) out = turnedV(beyondLastV(turnedV(out), by[0], order));
  return exchanged(out);
}

} // namespace lumsk::nurbs
