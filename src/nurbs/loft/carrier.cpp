#include "nurbs/loft/carrier.h"

#include "nurbs/fit/spaces.h"
#include "nurbs/measure/arc_length.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kPatience = 3; ///< knots that have to stay, in a row, until a fit counts as lean
constexpr double kCarriedPart = 0.7; ///< of `fit`: what following the way may use
constexpr double kNear = 1e-4;       ///< of the way: for differences
constexpr double kSameBreak = 0.01;  ///< of the loft: breaks so near to a jump give way to it
constexpr double kSameRow = 1e-9;    ///< of a section's size: rows that are one

/// Rows that change nowhere are carried as one: its own box, whose corners' ways enclose those of all that it holds.
bool constantRows(const Rows& local, double size) {
  for (Eigen::Index i = 1; i < local.rows(); ++i)
    if ((local.row(i) - local.row(0)).cwiseAbs().maxCoeff() > kSameRow * size) return false;
  return true;
}

} // namespace

/// From a polynomial through places beside the end.
CarriedWay Carrier::leaving(int end) const {
  constexpr int kDegree = 6;
  constexpr double kReach = 0.01, kPartOfSmooth = 0.5;
  double reach = kReach;
  for (const Rough& r : rough()) {
    const double v = ownParameter(r.at), away = end ? 1 - v : v;
    if (away > kNear) reach = std::min(reach, kPartOfSmooth * away);
  }
  Eigen::Matrix<double, kDegree + 1, kDegree + 1> powers;
  Eigen::Matrix<double, kDegree + 1, 12> places;
  CarriedWay out;
  for (int i = 0; i <= kDegree; ++i) {
    const double x = double(i) / kDegree;
    const Carried c = at(end ? 1 - x * reach : x * reach);
    if (i == 0) out.along = c.along;
    for (int j = 0; j <= kDegree; ++j) powers(i, j) = std::pow(x, j);
    places.row(i) << c.origin.transpose(), c.axes.col(0).transpose(), c.axes.col(1).transpose(), c.axes.col(2).transpose();
  }
  const Eigen::Matrix<double, kDegree + 1, 12> by = powers.partialPivLu().solve(places);
  double scale = 1;
  for (int q = 0; q <= 3; ++q) {
    out.origin[size_t(q)] = scale * by.row(q).head<3>().transpose();
    for (int k = 0; k < 3; ++k) out.axes[size_t(q)].col(k) = scale * by.row(q).segment<3>(3 * k + 3).transpose();
    scale *= (q + 1) * (end ? -1 : 1) / reach;
  }
  return out;
}

double Carrier::ownParameter(double v) const {
  if (!placed_) return v;
  constexpr int kHalvings = 50;
  double low = 0, high = 1;
  for (int it = 0; it < kHalvings; ++it) {
    const double m = 0.5 * (low + high);
    ((*placed_)(m) < v ? low : high) = m;
  }
  return 0.5 * (low + high);
}

Expected<void> Carrier::place(const std::vector<double>& sections, bool around) {
  LUMSK_TRY(map, MonotoneMap::through(sections, at_, around));
  placed_ = std::move(map);
  return {};
}

Expected<AcrossRows> Carrier::along(const Rows& rows, const std::vector<LoftStrip>& strips, const LoftAcross& across,
                                    const Blend& blended, LengthTolerance fit) const {
  const std::vector<double>& at = across.parameters();
  const int sections = across.sections();
  const Eigen::Index columns = rows.cols() / 3;
  Rows local = rows;
  for (int i = 0; i < sections; ++i) {
    const Carried f = this->at(at[size_t(i)]);
    for (Eigen::Index c = 0; c < columns; ++c)
      local.row(i).segment<3>(3 * c) = f.local(rows.row(i).segment<3>(3 * c).transpose()).transpose();
  }
  // Where all has shrunk to a point, what is carried there is known from beside it.
  if (this->at(at.front()).shrunk()) local.row(0) = local.row(1);
  if (!across.around() && this->at(at.back()).shrunk()) local.row(sections - 1) = local.row(sections - 2);
  const Eigen::Map<const Points> first(local.data(), columns, 3); // its first row: rows are stored one after the other
  const Vec3 low = first.colwise().minCoeff().transpose(), high = first.colwise().maxCoeff().transpose();
  LUMSK_TRY(blend, blended(local));
  const bool constant = constantRows(blend.controls, (high - low).norm() + low.norm());
  LUMSK_CHECK(checkFolds(blend, strips, constant));
  CurveFamily family;
  family.closed = across.around();
  std::vector<Vec3> corners;
  std::vector<int> wide; // axes along which the box has a width
  if (constant) {
    for (int axis = 0; axis < 3; ++axis)
      if (high[axis] > low[axis]) wide.push_back(axis);
    for (size_t k = 0; k < size_t(1) << wide.size(); ++k) {
      Vec3 c = low;
      for (size_t a = 0; a < wide.size(); ++a)
        if (k >> a & 1) c[wide[a]] = high[wide[a]];
      corners.push_back(c);
    }
    family.curves = int(corners.size());
    family.sample = [&](double v, double* out) {
      const Carried f = this->at(v);
      for (size_t c = 0; c < corners.size(); ++c) Eigen::Map<Vec3>(out + 3 * c, 3) = f.at(corners[c]);
    };
  } else {
    family.curves = int(columns);
    family.sample = [&](double v, double* out) {
      const Carried f = this->at(v);
      const Eigen::RowVectorXd row = valueOf(blend.degree, blend.knots, blend.controls, v);
      for (Eigen::Index c = 0; c < columns; ++c)
        Eigen::Map<Vec3>(out + 3 * c, 3) = f.at(row.segment<3>(3 * c).transpose());
    };
  }
  LeanOptions lean;
  const LoftAcross::Space space = across.space({});
  lean.degree = std::max(space.degree, blend.degree);
  const auto held = constant ? std::vector<double>{0.0, 1.0} : breaksOf(blend.knots, blend.degree, lean.degree);
  lean.firstBreaks = breaksWithRough(held, lean.degree);
  if (const int spans = firstSpans(); spans > int(lean.firstBreaks.size())) {
    const auto more = equalBreaks(spans);
    lean.firstBreaks.insert(lean.firstBreaks.end(), more.begin() + 1, more.end() - 1);
    std::sort(lean.firstBreaks.begin(), lean.firstBreaks.end());
  }
  lean.maxSpans = std::max(lean.maxSpans, 4 * int(lean.firstBreaks.size()));
  lean.fit = {kCarriedPart * fit.mm};
  lean.removeKnots = firstSpans() == 1; // even turns are lean at once
  lean.patience = kPatience;
  LUMSK_TRY(fitted, fitLean(family, lean));
  AcrossRows out{fitted.degree, fitted.knots, fitted.controls};
  if (constant) {
    out.controls = Rows(fitted.controls.rows(), rows.cols());
    for (Eigen::Index c = 0; c < columns; ++c) {
      const Vec3 by = local.row(0).segment<3>(3 * c).transpose() - low;
      auto own = out.controls.middleCols(3 * c, 3);
      own = fitted.controls.leftCols(3);
      for (size_t a = 0; a < wide.size(); ++a) {
        const double part = by[wide[a]] / (high[wide[a]] - low[wide[a]]);
        own += part * (fitted.controls.middleCols(3 * (Eigen::Index(1) << a), 3) - fitted.controls.leftCols(3));
      }
    }
  }
  // Exactly through the sections; relaxed, through where the blend has them.
  Rows miss(sections, rows.cols());
  for (int i = 0; i < sections; ++i) {
    const double v = at[size_t(i)];
    const Carried f = this->at(v);
    const Eigen::RowVectorXd row = valueOf(blend.degree, blend.knots, blend.controls, v);
    for (Eigen::Index c = 0; c < columns; ++c)
      miss.row(i).segment<3>(3 * c) = f.at(row.segment<3>(3 * c).transpose()).transpose();
    miss.row(i) -= valueOf(out.degree, out.knots, out.controls, v);
  }
  const Rows none(0, rows.cols());
  LUMSK_TRY(put, across.through(miss, none, none, true));
  out.controls += rowsIn(put.degree, put.knots, put.controls, out.degree, out.knots);
  return out;
}

/// What lies off the way is one derivative less smooth than it: it passes by at a speed that follows its bending.
std::vector<double> Carrier::breaksWithRough(const std::vector<double>& breaks, int degree) const {
  std::vector<Rough> places = rough();
  for (Rough& r : places) r.at = ownParameter(r.at);
  std::sort(places.begin(), places.end(), [](const Rough& a, const Rough& b) { return a.at < b.at; });
  std::vector<double> out;
  for (double b : breaks)
    if (b <= 0 || b >= 1 ||
        std::none_of(places.begin(), places.end(), [&](const Rough& r) { return std::abs(r.at - b) < kSameBreak; }))
      out.push_back(b);
  double last = 0;
  for (const Rough& r : places) {
    if (r.smooth > 1 && r.at - last < kSameBreak) continue;
    out.insert(out.end(), size_t(degree + 1 - r.smooth), r.at);
    last = r.at;
  }
  std::sort(out.begin(), out.end());
  return out;
}

/// Where the way bends more sharply than the skin reaches from it, planes across it cross within the skin. Planes are the
/// frames' own, or that which a closed section lies in that is carried as it is.
Expected<void> Carrier::checkFolds(const AcrossRows& blend, const std::vector<LoftStrip>& strips, bool constant) const {
  if (!across()) return {};
  constexpr int kPlaces = 64;
  constexpr double kFlat = 1e-4, kClosed = 1e-6; // of the section's size
  double worst = 0, worstAt = 0;
  Vec3 where = Vec3::Zero();
  std::vector<Vec3> places;
  for (int p = 0; p <= kPlaces; ++p) {
    const double v = double(p) / kPlaces, a = std::max(0.0, v - kNear), b = std::min(1.0, v + kNear);
    const Carried before = at(a), after = at(b), here = at(v);
    if (here.shrunk()) continue;
    Eigen::Index from = 0;
    const Eigen::RowVectorXd row = valueOf(blend.degree, blend.knots, blend.controls, v);
    places.clear();
    for (const LoftStrip& strip : strips) {
      const Eigen::RowVectorXd own = row.segment(from, strip.rows.cols());
      for (int q = 0; q <= kPlaces; ++q) places.push_back(strip.at(own, double(q) / kPlaces));
      from += strip.rows.cols();
    }
    Points world(Eigen::Index(places.size()), 3);
    for (size_t k = 0; k < places.size(); ++k) world.row(Eigen::Index(k)) = here.at(places[k]).transpose();
    const PlaneOfPoints plane = fitPlane(world);
    const double size = (world.colwise().maxCoeff() - world.colwise().minCoeff()).norm();
    const bool closed = (world.row(0) - world.row(world.rows() - 1)).norm() < kClosed * size;
    Vec3 normal = here.along;
    if (constant && closed && plane.unique && plane.deviationMm < kFlat * size) {
      normal = plane.frame.normal();
      if (normal.dot(here.along) < 0) normal = -normal;
    }
    const double forwards = (after.origin - before.origin).dot(normal);
    if (!(std::abs(forwards) > 0)) continue;
    for (const Vec3& place : places) {
      const double part = 1 - (after.at(place) - before.at(place)).dot(normal) / forwards;
      if (part > worst) worst = part, worstAt = v, where = here.at(place);
    }
  }
  if (worst < 1) return {};
  return fail(foldProblem(worst, placed_ ? (*placed_)(worstAt) : worstAt).at(where));
}

Problem Carrier::foldProblem(double part, double) const {
  return problem("LM-L033", "planes square to the centre line cross within the skin: it would fold over")
      .measure(ratio(part))
      .want(ratio(1))
      .tryThis("let the centre line bend less there, take smaller sections, or no centre line");
}

std::vector<RoughPlace> roughPlaces(const Path& path) {
  constexpr double kBeside = 1e-7, kLeast = 1e-3; // the latter by the path's length
  constexpr int kSmoothEnough = 4;
  const ArcLength length(path);
  std::vector<RoughPlace> out;
  const auto bend = [&](double t) {
    CurveDerivatives d;
    path.derivatives(t, 2, d);
    const double w = d[1].squaredNorm();
    return Vec3((d[2] - d[2].dot(d[1]) / w * d[1]) / w);
  };
  for (int k = 0; k < int(path.segments().size()); ++k) {
    if (k > 0 || path.closed()) {
      const Vec3 change = bend(k + kBeside) - bend(k == 0 ? path.last() - kBeside : k - kBeside);
      if (change.norm() * length.total() > kLeast) out.push_back({k == 0 ? 0.0 : length.fractionAt(k), 1});
    }
    const auto* spline = std::get_if<Spline>(&path.segments()[size_t(k)]);
    if (!spline) continue;
    const auto b = breakpoints(spline->knots(), spline->degree());
    for (size_t i = 1; i + 1 < b.size(); ++i)
      if (const int smooth = spline->degree() - multiplicity(spline->knots(), b[i]); smooth < kSmoothEnough)
        out.push_back({length.fractionAt(k + (b[i] - b.front()) / (b.back() - b.front())), std::max(1, smooth)});
  }
  return out;
}

} // namespace lumsk::nurbs
