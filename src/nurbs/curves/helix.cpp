#include "nurbs/curves/helix.h"

#include "nurbs/fit/fit.h"
#include "nurbs/measure/least_twist.h"

#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kDegree = 7;
constexpr double kMostTurns = 500;

/// Largest radial error, as a fraction of the radius, of the cardinal spline with n spans a turn that follows
/// exp(i angle): its two largest aliases.
double aliasError(double n) { return std::pow(n - 1, -(kDegree + 1)) + std::pow(n + 1, -(kDegree + 1)); }

Spline constantHelix(const HelixOptions& o, double fit) {
  double perTurn = 4;
  while (o.radiusMm * aliasError(perTurn) > 0.98 * fit && perTurn < 200) perTurn += 0.01;
  const int spans = std::max(1, int(std::ceil(perTurn * o.turns)));
  const double h = 2 * kPi * o.turns / spans; // angle of one span
  const double gain = std::pow(std::sin(0.5 * h) / (0.5 * h), -(kDegree + 1));
  const double side = o.leftHanded ? -1 : 1;
  Points p(spans + kDegree, 3);
  Knots U(size_t(spans + 2 * kDegree + 1));
  for (size_t i = 0; i < U.size(); ++i) U[i] = (double(i) - kDegree) / spans;
  for (Eigen::Index j = 0; j < p.rows(); ++j) {
    const double at = double(j) - 0.5 * (kDegree - 1); // in spans, where the control point counts
    const double angle = radFromDeg(o.startAngleDeg) + h * at;
    p.row(j) = o.base
                   .at(gain * o.radiusMm * std::cos(angle), side * gain * o.radiusMm * std::sin(angle),
                       o.heightMm * at / spans)
                   .transpose();
  }
  return clamp(kDegree, U, p, false);
}

Expected<void> checkRadii(const HelixOptions& o, const Tolerances& tol) {
  const auto radius = [&](double f) {
    return o.radiusAt ? o.radiusAt(f) : o.radiusMm + f * (o.endRadiusMm - o.radiusMm);
  };
  double largest = 0, least = 1e300, leastAt = 0;
  constexpr int kSamples = 200;
  for (int i = 0; i <= kSamples; ++i) {
    const double r = radius(double(i) / kSamples);
    largest = std::max(largest, r);
    if (r < least) least = r, leastAt = double(i) / kSamples;
  }
  if (!(largest > tol.point.mm) || !(least >= 0))
    return fail(problem("LM-P021", "a helix needs a radius")
                    .measure(millimetres(std::min(least, largest)))
                    .at(o.axis ? o.axis->start() : o.base.at(0, 0, leastAt * o.heightMm))
                    .tryThis("take a radius above nought; only one end may come to the axis"));
  if (!(o.turns > 1e-3 && o.turns <= kMostTurns))
    return fail(problem("LM-P022", "a helix needs turns")
                    .measure(ratio(o.turns))
                    .at(o.base.origin)
                    .tryThis("take more than nought and at most " + formatNumber(kMostTurns) + " turns"));
  if (!o.axis && std::abs(o.heightMm) <= tol.point.mm && largest - least <= tol.point.mm)
    return fail(problem("LM-P023", "a helix without pitch runs over itself")
                    .measure(millimetres(std::abs(o.heightMm)))
                    .at(o.base.origin)
                    .tryThis("give it a height, a pitch or two different radii"));
  return {};
}

} // namespace

Expected<Spline> helix(const HelixOptions& o, const Context& cx) {
  LUMSK_CHECK(checkRadii(o, cx.tolerances));
  const double fit = std::min(kHelixFitMm, cx.tolerances.fit.mm);
  if (!o.axis && !o.radiusAt && o.radiusMm == o.endRadiusMm) return constantHelix(o, fit);
  std::optional<LeastTwist> frames;
  if (o.axis) frames.emplace(*o.axis, o.base.x, 256);
  const double side = o.leftHanded ? -1 : 1;
  const auto radius = [&](double f) {
    return o.radiusAt ? o.radiusAt(f) : o.radiusMm + f * (o.endRadiusMm - o.radiusMm);
  };
  if (o.axis) {
    constexpr int kSamples = 400;
    const ArcLength length(*o.axis);
    for (int i = 0; i <= kSamples; ++i) {
      const double f = double(i) / kSamples;
      CurveDerivatives d;
      o.axis->derivatives(std::min(length.parameterAt(f * length.total()), std::nextafter(o.axis->last(), 0.0)), 2, d);
      if (const double k = curvature(d); k * radius(f) >= 1)
        return fail(problem("LM-P024", "the centre line bends more tightly than the helix is wide")
                        .measure(millimetres(1 / k))
                        .want(millimetres(radius(f)))
                        .at(d[0])
                        .tryThis("take a smaller radius or a gentler centre line"));
    }
  }
  CurveFamily family;
  family.curves = 1;
  family.sample = [&](double t, double* out) {
    const double angle = radFromDeg(o.startAngleDeg) + 2 * kPi * o.turns * t, r = radius(t);
    const Frame f = frames ? frames->at(t) : o.base;
    Eigen::Map<Vec3>(out, 3) = f.at(r * std::cos(angle), side * r * std::sin(angle), frames ? 0.0 : o.heightMm * t);
  };
  LeanOptions lean;
  lean.degree = kDegree;
  lean.fit = {fit};
  lean.firstSpans = std::max(2, int(std::ceil(6 * o.turns)));
  lean.baseSamples = 8 * lean.firstSpans;
  lean.maxSpans = std::max(4000, 40 * lean.firstSpans);
  LUMSK_TRY(lf, fitLean(family, lean));
  return lf.curve(0);
}

} // namespace lumsk::nurbs
