#include "nurbs/loft/loft_across.h"

#include "nurbs/fit/fit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/joins/side_conditions.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kSectionsBeyond = 24; ///< so many further sections hardly change what lies before them

Vec3 image(const Vec3& p, const Frame& plane, bool vector) {
  return vector ? Vec3(p - 2 * p.dot(plane.normal()) * plane.normal()) : mirroredPoint(p, plane);
}

/// Derivative rows at the far end of what was continued.
Rows imageOfDerivatives(Rows rows, const Frame& f) {
  double sign = 1.0;
  for (Eigen::Index q = 0; q < rows.rows(); ++q) {
    sign = -sign;
    for (Eigen::Index c = 0; c < rows.cols() / 3; ++c)
      rows.row(q).segment<3>(3 * c) = sign * image(rows.row(q).segment<3>(3 * c).transpose(), f, true).transpose();
  }
  return rows;
}

/// A knot so near to an end is left out: the pieces on both sides of it are the same there, to rounding.
constexpr double kAtEnd = 1e-5;

/// The part over [0, 1].
AcrossRows cut(int p, const Knots& knots, const Rows& controls) {
  if (knots.front() == 0.0 && knots.back() == 1.0) return {p, knots, controls};
  Knots own(size_t(p) + 1, 0.0);
  for (double k : knots)
    if (k > kAtEnd && k < 1 - kAtEnd) own.push_back(k);
  own.insert(own.end(), size_t(p) + 1, 1.0);
  return {p, own, rowsIn(p, knots, controls, p, own)};
}

} // namespace

std::vector<double> breaksOf(const Knots& knots, int degree, int higher) {
  const auto breaks = breakpoints(knots, degree);
  std::vector<double> out{breaks.front()};
  for (size_t b = 1; b + 1 < breaks.size(); ++b)
    out.insert(out.end(), size_t(higher - degree + multiplicity(knots, breaks[b])), breaks[b]);
  out.push_back(breaks.back());
  return out;
}

Knots raisedKnots(const Knots& knots, int degree, int higher) {
  const std::vector<double> breaks = breaksOf(knots, degree, higher);
  Knots out(size_t(higher) + 1, knots.front());
  out.insert(out.end(), breaks.begin() + 1, breaks.end() - 1);
  out.insert(out.end(), size_t(higher) + 1, knots.back());
  return out;
}

LoftAcross::Continued LoftAcross::continued(const Rows& rows, bool vectors) const {
  Continued out;
  const int n = int(rows.rows());
  std::vector<std::pair<int, const std::optional<Frame>*>> from;
  static const std::optional<Frame> none;
  const auto add = [&](int i, double at, const std::optional<Frame>& plane) {
    out.at.push_back(at);
    from.emplace_back(i, &plane);
  };
  if (around_) {
    const int turns = (kSectionsBeyond + n - 1) / n;
    for (int turn = -turns; turn <= turns; ++turn)
      for (int i = 0; i < n; ++i) add(i, turn + v_[size_t(i)], none);
  } else {
    for (int i = n - 1; mirrors_[0] && i > 0; --i) add(i, -v_[size_t(i)], mirrors_[0]);
    for (int i = 0; i < n; ++i) add(i, v_[size_t(i)], none);
    for (int i = n - 2; mirrors_[1] && i >= 0; --i) add(i, 2 - v_[size_t(i)], mirrors_[1]);
  }
  out.rows.resize(Eigen::Index(from.size()), rows.cols());
  for (size_t r = 0; r < from.size(); ++r) {
    auto row = out.rows.row(Eigen::Index(r));
    row = rows.row(from[r].first);
    for (Eigen::Index c = 0; *from[r].second && c < rows.cols() / 3; ++c)
      row.segment<3>(3 * c) = image(row.segment<3>(3 * c).transpose(), **from[r].second, vectors).transpose();
  }
  return out;
}

Expected<AcrossRows> LoftAcross::through(const Rows& rows, const Rows& start, const Rows& finish, bool vectors) const {
  const Continued c = continued(rows, vectors);
  const Rows first = mirrors_[0] ? imageOfDerivatives(finish, *mirrors_[0]) : start;
  const Rows last = mirrors_[1] ? imageOfDerivatives(start, *mirrors_[1]) : finish;
  const int most = int(std::max(first.rows(), last.rows()));
  int wanted = std::max(degree_, most > 1 ? 2 * most + 1 : 1);
  if (mirrors_[0] || mirrors_[1]) wanted = std::max(wanted, 5);
  const int p = std::min<int>(wanted, int(c.at.size()) - 1 + int(first.rows() + last.rows()));
  LUMSK_TRY(across, interpolateRows(c.at, c.rows, p, first, last));
  AcrossRows out = cut(p, across.knots, across.controls);
  if (around_) out.controls.bottomRows(1) = out.controls.topRows(1);
  return out;
}

Expected<AcrossRows> LoftAcross::near(const Rows& rows, const Rows& start, const Rows& finish, double evenness) const {
  // Over [0, 1] with images beyond mirrors; around, by itself.
  const bool images = mirrors_[0] || mirrors_[1];
  Continued c;
  if (images)
    c = continued(rows, false);
  else
    c = {{v_.begin(), v_.begin() + sections()}, rows};
  const double from = images ? c.at.front() : 0.0, whole = images ? c.at.back() - from : 1.0;
  for (double& x : c.at) x = (x - from) / whole;
  if (images) c.at.front() = 0.0, c.at.back() = 1.0;
  std::array<Rows, 2> ends{mirrors_[0] ? imageOfDerivatives(finish, *mirrors_[0]) : start,
                           mirrors_[1] ? imageOfDerivatives(start, *mirrors_[1]) : finish};
  for (Rows& r : ends) {
    double scale = 1.0;
    for (Eigen::Index q = 0; q < r.rows(); ++q) r.row(q) *= scale *= whole;
  }
  // What the rows have beyond what their ends ask for is smoothed; by itself it is nothing there.
  const std::array<int, 2> orders{int(ends[0].rows()), int(ends[1].rows())};
  const int p = std::max(5, 2 * std::max(orders[0], orders[1]) + 1);
  AcrossRows base{1, uniformKnots(1, 1), Rows::Zero(2, rows.cols())};
  if (!around_) {
    Rows both(2, rows.cols());
    both << c.rows.topRows(1), c.rows.bottomRows(1);
    LUMSK_TRY(between, LoftAcross({0.0, 1.0}, 1 + orders[0] + orders[1], {}, false).through(both, ends[0], ends[1]));
    base = std::move(between);
  }
  Rows rest = c.rows;
  for (Eigen::Index i = 0; i < rest.rows(); ++i)
    rest.row(i) -= valueOf(base.degree, base.knots, base.controls, c.at[size_t(i)]);
  const LeastSquares smooth(p, around_ ? v_ : c.at, around_, c.at, evenness, orders);
  Knots knots = smooth.knots();
  Rows controls =
      smooth.solve(rest, {Rows(Rows::Zero(orders[0], rest.cols())), Rows(Rows::Zero(orders[1], rest.cols()))});
  if (!controls.allFinite())
    return fail(problem("LM-G008", "the sections cannot be joined evenly").tryThis("space them more evenly"));
  controls += rowsIn(base.degree, base.knots, base.controls, p, knots);
  for (double& k : knots) k = from + whole * k;
  return cut(p, knots, controls);
}

LoftAcross::Space LoftAcross::space(const std::array<int, 2>& endOrders) const {
  const auto rows = [&](int e) { return Rows(Rows::Zero(mirrors_[size_t(e)] ? 0 : endOrders[size_t(e)], 3)); };
  const auto own = through(Rows::Zero(sections(), 3), rows(0), rows(1));
  Space out{5, {0.0, 1.0}};
  if (own) {
    out.degree = std::max(out.degree, own->degree);
    out.breaks = breaksOf(own->knots, own->degree, out.degree);
  }
  return out;
}

Expected<Rows> LoftAcross::atSections(int degree, const Knots& knots, const Rows& rows,
                                      const std::array<int, 2>& endOrders, AtEnds as) const {
  Rows at(sections(), rows.cols());
  for (int i = 0; i < sections(); ++i) at.row(i) = valueOf(degree, knots, rows, v_[size_t(i)]);
  std::array<Rows, 2> ends;
  for (size_t e : {0, 1}) {
    ends[e].resize(mirrors_[e] ? 0 : endOrders[e], rows.cols());
    for (Eigen::Index q = 0; q < ends[e].rows(); ++q)
      if (as == AtEnds::Nothing)
        ends[e].row(q).setZero();
      else
        ends[e].row(q) = valueOf(degree, knots, rows, e ? 1.0 : 0.0, int(q) + 1);
  }
  LUMSK_TRY(own, through(at, ends[0], ends[1], true));
  return rowsIn(own.degree, own.knots, own.controls, degree, knots);
}

Expected<Rows> LoftAcross::between(int degree, const Knots& knots, const Rows& rows,
                                   const std::array<int, 2>& endOrders) const {
  LUMSK_TRY(own, atSections(degree, knots, rows, endOrders, AtEnds::Same));
  return Rows(rows - own);
}

} // namespace lumsk::nurbs
