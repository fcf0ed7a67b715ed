#include "nurbs/on_skin/ribbon.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/fit/fit.h"

#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kChecks = 200; ///< places at which a ribbon is looked at for folds
constexpr double kLeastAngleDeg = 1.0;

} // namespace

Vec3 unitTangent(const Path& p, double t) {
  CurveDerivatives d;
  p.derivatives(std::min(t, std::nextafter(p.last(), 0.0)), 1, d);
  return d[1].normalized();
}

Expected<Ribbon> ribbonAlong(const Path& path, const RibbonOptions& o, const Context& cx) {
  if (!(std::max(std::abs(o.startWidthMm), std::abs(o.endWidthMm)) > cx.tolerances.point.mm))
    return fail(problem("LM-P071", "a ribbon needs a width")
                    .measure(millimetres(o.startWidthMm))
                    .at(path.start())
                    .tryThis("give it a width, at one end at least"));
  const ArcLength whole(path);
  const auto width = [&](double s) { return o.startWidthMm + (o.endWidthMm - o.startWidthMm) * s / whole.total(); };
  const auto border = [&](double t, double s) {
    return Vec3(path.at(t) + width(s) * o.direction(path.at(t), unitTangent(path, t)));
  };
  Vec3 before = Vec3::Zero();
  for (int i = 0; i <= kChecks; ++i) {
    const double s = whole.total() * i / kChecks, t = whole.parameterAt(s);
    const Vec3 tangent = unitTangent(path, t), d = o.direction(path.at(t), tangent);
    if (!(d.cross(tangent).norm() > std::sin(radFromDeg(kLeastAngleDeg))))
      return fail(problem("LM-P072", "the ribbon's direction runs along the curve here")
                      .at(path.at(t))
                      .tryThis("take another direction, or a part of the curve"));
    const Vec3 b = border(t, s);
    if (i > 0 && (b - before).dot(tangent) < 0)
      return fail(problem("LM-P073", "the ribbon folds over itself here: it is wider than the curve's bend")
                      .measure(millimetres(std::abs(width(s))))
                      .at(path.at(t))
                      .tryThis("make it narrower, or turn it to the other side"));
    before = b;
  }
  std::vector<Path> stretches{path};
  if (const auto corners = path.corners(cx.tolerances.corner); !corners.empty()) {
    LUMSK_TRY(parts, splitAt(path, corners, cx.tolerances.point));
    stretches = std::move(parts);
  }
  Ribbon out;
  double passed =
      path.closed() && stretches.size() > 1 ? whole.lengthAt(path.corners(cx.tolerances.corner).front()) : 0.0;
  for (const Path& p : stretches) {
    const ArcLength length(p);
    CurveFamily family;
    family.curves = 2;
    family.closed = p.closed() && o.startWidthMm == o.endWidthMm;
    family.sample = [&](double x, double* to) {
      const double s = std::clamp(x, 0.0, 1.0) * length.total(), t = length.parameterAt(s);
      const double at = std::fmod(passed + s, whole.total() * (1 + 1e-12));
      const Vec3 q = p.at(std::min(t, p.last()));
      Eigen::Map<Vec3>(to, 3) = q;
      Eigen::Map<Vec3>(to + 3, 3) = q + width(at) * o.direction(q, unitTangent(p, t));
    };
    LeanOptions lean;
    lean.fit = cx.tolerances.fit;
    lean.firstSpans = 1;
    LUMSK_TRY(fit, fitLean(family, lean));
    Points grid(2 * fit.controls.rows(), 3);
    for (Eigen::Index i = 0; i < fit.controls.rows(); ++i) {
      grid.row(2 * i) = fit.controls.row(i).head<3>();
      grid.row(2 * i + 1) = fit.controls.row(i).tail<3>();
    }
    out.deviationMm = std::max(out.deviationMm, fit.deviationMm);
    out.strips.push_back(
        Surface::trusted(fit.degree, 1, fit.knots, uniformKnots(1, 1), std::move(grid), family.closed));
    passed += length.total();
  }
  return out;
}

} // namespace lumsk::nurbs
