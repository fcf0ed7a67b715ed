#include "nurbs/fit/surface_fit.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

using OverDomain = std::function<Vec3(double, double)>;

/// Places that look into every span, ends included.
std::vector<double> spread(const std::vector<double>& breaks, int perSpan, int atLeast, bool closed) {
  std::vector<double> t;
  const int spans = int(breaks.size()) - 1;
  const int per = std::max(perSpan, (atLeast + spans - 1) / spans);
  for (int k = 0; k < spans; ++k)
    for (int i = 0; i < per && breaks[k + 1] > breaks[k]; ++i)
      t.push_back(breaks[k] + (breaks[k + 1] - breaks[k]) * i / per);
  if (!closed) t.push_back(breaks.back());
  return t;
}

Expected<std::vector<double>> chooseBreaks(const OverDomain& f, bool alongU, const std::vector<double>& lines,
                                           LengthTolerance fit, const SurfaceFitOptions& o) {
  CurveFamily family;
  family.curves = int(lines.size());
  family.closed = alongU && o.closedU;
  family.sample = [&](double t, double* out) {
    for (size_t k = 0; k < lines.size(); ++k)
      Eigen::Map<Vec3>(out + 3 * k, 3) = alongU ? f(t, lines[k]) : f(lines[k], t);
  };
  LeanOptions lean;
  lean.degree = alongU ? o.degreeU : o.degreeV;
  lean.fit = fit;
  lean.firstBreaks = alongU ? o.firstBreaksU : o.firstBreaksV;
  lean.baseSamples = std::max<int>(48, 4 * int(lean.firstBreaks.size()));
  LUMSK_TRY(result, fitLean(family, lean));
  return result.breaks;
}

/// A step for derivatives at an end that stays within the first and the last span.
double endStep(const std::vector<double>& breaks) {
  constexpr double kMost = 2e-3, kOfSpan = 0.125;
  const auto first = std::find_if(breaks.begin(), breaks.end(), [&](double x) { return x > breaks.front(); });
  const auto last = std::find_if(breaks.rbegin(), breaks.rend(), [&](double x) { return x < breaks.back(); });
  return std::min(kMost, kOfSpan * std::min(*first - breaks.front(), breaks.back() - *last));
}

Surface tensorFit(const OverDomain& f, const std::vector<double>& U, const std::vector<double>& V,
                  const SurfaceFitOptions& o) {
  constexpr int kLeastDegree = 3; // for derivatives at both ends
  const std::vector<double> tu = spread(U, o.degreeU + 2, 16, o.closedU), tv = spread(V, o.degreeV + 2, 16, false);
  const int across = 3 * int(tv.size());
  const double stepU = endStep(U), stepV = endStep(V);
  bool leavesU = o.leaves && !o.closedU && o.degreeU >= kLeastDegree, leavesV = o.leaves && o.degreeV >= kLeastDegree;
  // A line of places along v, and how it leaves its ends.
  const auto line = [&](double u, double* out) {
    for (size_t j = 0; j < tv.size(); ++j) Eigen::Map<Vec3>(out + 3 * j, 3) = f(u, tv[j]);
    for (int end = 0; end < 2 && leavesV; ++end) {
      const auto d = derivativeAtEnd([&](double v, double* to) { Eigen::Map<Vec3>(to, 3) = f(u, v); }, 3, end, stepV);
      Eigen::Map<Vec3>(out + across + 3 * end, 3) = d ? Vec3(d->row(0).transpose()) : Vec3(Vec3::Constant(std::nan("")));
    }
  };
  Rows data(Eigen::Index(tu.size()), across + (leavesV ? 6 : 0));
  for (size_t i = 0; i < tu.size(); ++i) line(tu[i], data.row(Eigen::Index(i)).data());
  if (leavesV && !data.allFinite()) { // a pole, say
    leavesV = false;
    data = Rows(data.leftCols(across));
  }
  std::array<Rows, 2> atU, atV;
  for (int end = 0; end < 2 && leavesU; ++end) {
    auto d = derivativeAtEnd(line, int(data.cols()), end, stepU);
    leavesU = d.has_value();
    if (d) atU[size_t(end)] = std::move(*d);
  }
  if (!leavesU) atU = {};
  const auto given = [](bool leaves) { return leaves ? std::array<int, 2>{1, 1} : std::array<int, 2>{}; };
  const LeastSquares lu(o.degreeU, U, o.closedU, tu, 0, given(leavesU)), lv(o.degreeV, V, false, tv, 0, given(leavesV));
  const Rows a = lu.solve(data, atU);
  const Eigen::Index nu = a.rows();
  Rows turned(Eigen::Index(tv.size()), 3 * nu);
  for (Eigen::Index i = 0; i < nu; ++i)
    for (Eigen::Index j = 0; j < turned.rows(); ++j) turned.row(j).segment<3>(3 * i) = a.row(i).segment<3>(3 * j);
  for (int end = 0; end < 2 && leavesV; ++end) {
    atV[size_t(end)].resize(1, 3 * nu);
    for (Eigen::Index i = 0; i < nu; ++i) atV[size_t(end)].row(0).segment<3>(3 * i) = a.row(i).segment<3>(across + 3 * end);
  }
  const Rows b = lv.solve(turned, atV);
  Points grid(nu * b.rows(), 3);
  for (Eigen::Index i = 0; i < nu; ++i)
    for (Eigen::Index j = 0; j < b.rows(); ++j) grid.row(i * b.rows() + j) = b.row(j).segment<3>(3 * i);
  return Surface::trusted(o.degreeU, o.degreeV, lu.knots(), lv.knots(), std::move(grid), o.closedU);
}

double worstBetween(const OverDomain& f, const Surface& s, const std::vector<double>& U,
                    const std::vector<double>& V) {
  double worst = 0.0;
  for (size_t i = 0; i + 1 < U.size(); ++i)
    for (size_t j = 0; j + 1 < V.size() && U[i + 1] > U[i]; ++j)
      for (double a : {0.23, 0.61})
        for (double b : {0.37, 0.79}) {
          const double u = U[i] + a * (U[i + 1] - U[i]), v = V[j] + b * (V[j + 1] - V[j]);
          worst = std::max(worst, (s.at(u, v) - f(u, v)).norm());
        }
  return worst;
}

} // namespace

Expected<SurfaceFit> fitSurface(const OverDomain& f, const SurfaceFitOptions& options, const Context& cx) {
  SurfaceFitOptions o = options;
  SurfaceFit out;
  double aim = 0.5 * o.fit.mm;
  const std::vector<double> unit{0.0, 1.0};
  for (int round = 0; round < 4; ++round, aim *= 0.5) {
    if (cx.stopped()) return fail(cancelled());
    const auto& bv = o.firstBreaksV.empty() ? unit : o.firstBreaksV;
    LUMSK_TRY(U, chooseBreaks(f, true, spread(bv, 2, 9, false), {aim}, o));
    LUMSK_TRY(V, chooseBreaks(f, false, spread(U, 1, 9, o.closedU), {aim}, o));
    if (cx.stopped()) return fail(cancelled());
    out.surface = tensorFit(f, U, V, o);
    out.deviationMm = worstBetween(f, out.surface, U, V);
    if (out.deviationMm <= o.fit.mm) return out;
    o.firstBreaksU = U;
    o.firstBreaksV = V;
  }
  return fail(problem("LM-G101", "the surface cannot be followed closely enough")
                  .measure(millimetres(out.deviationMm))
                  .want(millimetres(o.fit.mm))
                  .tryThis("allow a larger fit tolerance"));
}

} // namespace lumsk::nurbs
