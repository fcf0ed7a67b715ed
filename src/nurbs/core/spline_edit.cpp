#include "nurbs/core/spline.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

/// Inserts u into span k of any knot vector, clamped or not (Boehm 1980).
void insertInSpan(Knots& U, Points& P, int p, double u, int k) {
  Points Q(P.rows() + 1, 3);
  for (int i = 0; i < Q.rows(); ++i) {
    if (i <= k - p) {
      Q.row(i) = P.row(i);
    } else if (i > k) {
      Q.row(i) = P.row(i - 1);
    } else {
      const double width = U[i + p] - U[i];
      const double a = width > 0 ? (u - U[i]) / width : 0.0;
      // At the end of an unclamped domain a is nought and point i need not exist.
      const Eigen::Index before = std::min<Eigen::Index>(i, P.rows()) - 1;
      if (a > 0 && i < P.rows())
        Q.row(i) = a * P.row(i) + (1 - a) * P.row(before);
      else
        Q.row(i) = P.row(before);
    }
  }
  U.insert(U.begin() + k + 1, u);
  P = std::move(Q);
}

} // namespace

Spline insertKnot(const Spline& c, double u, int times) {
  Knots U = c.knots();
  Points P = c.points();
  const int p = c.degree();
  for (int t = 0; t < times && multiplicity(U, u) < p; ++t) insertInSpan(U, P, p, u, knotSpan(U, p, u));
  return Spline::trusted(p, std::move(U), std::move(P), c.closed());
}

Spline refineKnots(const Spline& c, const std::vector<double>& add) {
  Spline s = c;
  for (double u : add) s = insertKnot(s, u);
  return s;
}

Spline clamp(int p, const Knots& knots, const Points& points, bool closed) {
  const int n = int(points.rows());
  const double a = knots[p], b = knots[n];
  // Boehm insertion until both domain ends have multiplicity p, then what lies outside is dropped.
  Knots U = knots;
  Points P = points;
  const auto last = [&](double u) { return int(std::upper_bound(U.begin(), U.end(), u) - U.begin()) - 1; };
  while (multiplicity(U, a) < p) insertInSpan(U, P, p, a, last(a));
  while (multiplicity(U, b) < p) insertInSpan(U, P, p, b, last(b));
  const int ia = last(a);                                                  // last knot equal to a
  const int ib = int(std::lower_bound(U.begin(), U.end(), b) - U.begin()); // first knot equal to b
  const Points Q = P.middleRows(ia - p, ib - ia + p);
  Knots V(p + 1, a);
  V.insert(V.end(), U.begin() + ia + 1, U.begin() + ib);
  V.insert(V.end(), p + 1, b);
  return Spline::trusted(p, std::move(V), Q, closed);
}

namespace {

struct Removal {
  bool ok = false;
  Knots U;
  Points P;
  double error = 0.0;
};

/// One removal of the knot at index r (its last occurrence, multiplicity s): Piegl & Tiller 1997, A5.8 with num = 1.
Removal removeOnce(const Knots& U, const Points& P, int p, int r, int s, double limit) {
  const double u = U[r];
  const int first = r - p, last = r - s;
  Points temp(last - first + 3, 3);
  const int off = first - 1;
  temp.row(0) = P.row(off);
  temp.row(last + 1 - off) = P.row(last + 1);
  int i = first, j = last, ii = 1, jj = last - off;
  while (j - i > 0) {
    const double ai = (u - U[i]) / (U[i + p + 1] - U[i]);
    const double aj = (u - U[j]) / (U[j + p + 1] - U[j]);
    temp.row(ii) = (P.row(i) - (1 - ai) * temp.row(ii - 1)) / ai;
    temp.row(jj) = (P.row(j) - aj * temp.row(jj + 1)) / (1 - aj);
    ++i, ++ii, --j, --jj;
  }
  Removal result;
  if (j - i < 0) {
    result.error = (temp.row(ii - 1) - temp.row(jj + 1)).norm();
  } else {
    const double ai = (u - U[i]) / (U[i + p + 1] - U[i]);
    result.error = (P.row(i) - (ai * temp.row(ii + 1) + (1 - ai) * temp.row(ii - 1))).norm();
  }
  if (result.error > limit) return result;
  result.P = P;
  for (i = first, j = last; j - i > 0; ++i, --j) {
    result.P.row(i) = temp.row(i - off);
    result.P.row(j) = temp.row(j - off);
  }
  const int out = (2 * r - s - p) / 2;
  const int n = int(P.rows());
  Points shrunk(n - 1, 3);
  shrunk.topRows(out) = result.P.topRows(out);
  shrunk.bottomRows(n - 1 - out) = result.P.bottomRows(n - 1 - out);
  result.P = std::move(shrunk);
  result.U = U;
  result.U.erase(result.U.begin() + r);
  result.ok = true;
  return result;
}

} // namespace

RemovedKnots removeKnots(const Spline& c, LengthTolerance limit) {
  const int p = c.degree();
  Knots U = c.knots();
  Points P = c.points();
  RemovedKnots out;
  for (bool again = true; again;) {
    again = false;
    Removal best;
    best.error = limit.mm - out.deviationMm;
    for (int r = p + 1; r < int(P.rows()); ++r) {
      if (U[r] == U[r + 1]) continue; // only the last of equal knots
      Removal trial = removeOnce(U, P, p, r, multiplicity(U, U[r]), best.error);
      if (trial.ok && trial.error <= best.error) best = std::move(trial);
    }
    if (!best.ok) break;
    U = std::move(best.U);
    P = std::move(best.P);
    out.deviationMm += best.error;
    ++out.removed;
    again = true;
  }
  out.curve = Spline::trusted(p, std::move(U), std::move(P), c.closed());
  return out;
}

Spline elevate(const Spline& c, int by) {
  Spline s = c;
  for (int step = 0; step < by && s.degree() < kMaxDegree; ++step) {
    const int p = s.degree();
    const std::vector<double> breaks = breakpoints(s.knots(), p);
    // To Bezier pieces, each raised by one, then the knots that were only inserted are removed again.
    Spline b = s;
    for (size_t i = 1; i + 1 < breaks.size(); ++i) b = insertKnot(b, breaks[i], p - multiplicity(b.knots(), breaks[i]));
    const int pieces = int(breaks.size()) - 1;
    Points Q(pieces * (p + 1) + 1, 3);
    for (int k = 0; k < pieces; ++k) {
      const auto piece = b.points().middleRows(k * p, p + 1);
      for (int i = 0; i <= p + 1; ++i) {
        const double a = double(i) / (p + 1);
        Vec3 q = Vec3::Zero();
        if (i > 0) q += a * piece.row(i - 1).transpose();
        if (i <= p) q += (1 - a) * piece.row(i).transpose();
        Q.row(k * (p + 1) + i) = q.transpose();
      }
    }
    Knots U(1, breaks.front());
    for (double t : breaks) U.insert(U.end(), p + 1, t);
    U.push_back(breaks.back());
    Points P = std::move(Q);
    for (size_t i = 1; i + 1 < breaks.size(); ++i) {
      const int keep = multiplicity(s.knots(), breaks[i]) + 1;
      for (int m = p + 1; m > keep; --m) {
        const int r = int(std::upper_bound(U.begin(), U.end(), breaks[i]) - U.begin()) - 1;
        Removal removal = removeOnce(U, P, p + 1, r, m, 1e300);
        U = std::move(removal.U);
        P = std::move(removal.P);
      }
    }
    s = Spline::trusted(p + 1, std::move(U), std::move(P), c.closed());
  }
  return s;
}

Expected<std::pair<Spline, Spline>> split(const Spline& c, double u) {
  const int p = c.degree();
  const double eps = 1e-12 * (c.last() - c.first());
  if (!(u > c.first() + eps && u < c.last() - eps))
    return fail(problem("LM-G003", "a curve cannot be split at its end").tryThis("pick a place inside the curve"));
  const Spline s = insertKnot(c, u, p - multiplicity(c.knots(), u));
  const Knots& U = s.knots();
  const int k = int(std::lower_bound(U.begin(), U.end(), u - eps) - U.begin()); // first of p equal knots
  Knots left(U.begin(), U.begin() + k), right(p + 1, u);
  left.insert(left.end(), p + 1, u);
  right.insert(right.end(), U.begin() + k + p, U.end());
  return std::make_pair(Spline::trusted(p, std::move(left), s.points().topRows(k)),
                        Spline::trusted(p, std::move(right), s.points().bottomRows(s.size() - k + 1)));
}

Expected<Spline> portion(const Spline& c, double u0, double u1) {
  const double eps = 1e-12 * (c.last() - c.first());
  Spline s = c;
  if (u1 < c.last() - eps) {
    LUMSK_TRY(parts, split(s, u1));
    s = parts.first;
  }
  if (u0 > c.first() + eps) {
    LUMSK_TRY(parts, split(s, u0));
    s = parts.second;
  }
  return s;
}

Spline reversed(const Spline& c) {
  Knots U(c.knots().rbegin(), c.knots().rend());
  const double sum = c.first() + c.last();
  for (double& u : U) u = sum - u;
  return Spline::trusted(c.degree(), std::move(U), c.points().colwise().reverse(), c.closed());
}

Expected<Spline> join(const Spline& a, const Spline& b, LengthTolerance limit) {
  const double gap = (a.points().row(a.size() - 1) - b.points().row(0)).norm();
  if (gap > limit.mm)
    return fail(problem("LM-G004", "the curves do not meet")
                    .measure(millimetres(gap))
                    .want(millimetres(limit.mm))
                    .at(a.points().row(a.size() - 1).transpose())
                    .tryThis("move the ends together"));
  const int p = std::max(a.degree(), b.degree());
  const Spline x = elevate(a, p - a.degree()), y = elevate(b, p - b.degree());
  // The second curve's parameter is scaled so that speeds agree at the joint: no needless kink in the parameter.
  const double sa = x.tangent(x.last()).norm(), sb = y.tangent(y.first()).norm();
  const double scale = sa > 0 && sb > 0 ? sb / sa : 1.0;
  Knots U(x.knots().begin(), x.knots().end() - 1);
  for (size_t i = p + 1; i < y.knots().size(); ++i) U.push_back(x.last() + (y.knots()[i] - y.first()) * scale);
  Points P(x.size() + y.size() - 1, 3);
  P.topRows(x.size()) = x.points();
  P.bottomRows(y.size() - 1) = y.points().bottomRows(y.size() - 1);
  return Spline::trusted(p, std::move(U), std::move(P));
}

Spline normalised(const Spline& c) {
  Knots U = c.knots();
  const double a = c.first(), w = c.last() - c.first();
  for (double& u : U) u = (u - a) / w;
  return Spline::trusted(c.degree(), std::move(U), c.points(), c.closed());
}

Spline transformed(const Spline& c, const Eigen::Affine3d& t) {
  Points P = c.points();
  for (Eigen::Index i = 0; i < P.rows(); ++i) P.row(i) = (t * Vec3(P.row(i).transpose())).transpose();
  return Spline::trusted(c.degree(), c.knots(), std::move(P), c.closed());
}

} // namespace lumsk::nurbs
