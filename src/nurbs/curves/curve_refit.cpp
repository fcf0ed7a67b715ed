#include "nurbs/curves/curve_refit.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/correspond.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/fit/interpolate.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kMostSpans = 2000;

Expected<ChangedCurve> measured(Expected<Path> made, const Path& old) {
  if (!made) return fail(made.error());
  const Deviation off = deviationFrom(old, *made);
  return ChangedCurve{std::move(*made), off.mm, off.at};
}

/// One smooth stretch on new spans.
Expected<Spline> refitStretch(const Path& p, const RefitOptions& o) {
  const ArcLength length(p);
  CurveFamily family;
  family.curves = 1;
  family.closed = p.closed() && (p.corners({1.0}).empty() || !o.keepCorners);
  family.sample = [&](double t, double* out) {
    Eigen::Map<Vec3>(out, 3) = p.at(length.parameterAt(std::clamp(t, 0.0, 1.0) * length.total()));
  };
  LeanOptions lean;
  lean.degree = o.degree;
  lean.fit = o.spans > 0 ? LengthTolerance{1e300} : o.within;
  lean.firstSpans = o.spans > 0 ? o.spans : 1;
  lean.maxSpans = kMostSpans;
  lean.removeKnots = o.spans == 0;
  lean.fair = o.fair && o.spans == 0;
  LUMSK_TRY(fit, fitLean(family, lean));
  return fit.curve(0);
}

/// A path whose segments are all splines.
Expected<std::vector<Spline>> splinesOf(const Path& p, const Context& cx) {
  std::vector<Spline> out;
  for (const Segment& s : p.segments()) {
    LUMSK_TRY(c, asSpline(s, cx));
    out.push_back(std::move(c));
  }
  return out;
}

Expected<Path> pathOf(std::vector<Spline> splines, const Context& cx) {
  return Path::make({splines.begin(), splines.end()}, cx.tolerances.point);
}

Problem outOfRange(const char* what, double value, double low, double high) {
  return problem("LM-P044", std::string("the ") + what + " is out of range")
      .measure(count(value))
      .tryThis("take " + formatNumber(low) + " to " + formatNumber(high));
}

} // namespace

Expected<ChangedCurve> refitted(const Path& p, const RefitOptions& o, const Context& cx) {
  if (o.degree < 2 || o.degree > 7) return fail(outOfRange("degree", o.degree, 2, 7));
  if (o.spans < 0 || o.spans > kMostSpans) return fail(outOfRange("number of spans", o.spans, 1, kMostSpans));
  const std::vector<double> corners = o.keepCorners ? p.corners(cx.tolerances.corner) : std::vector<double>{};
  std::vector<Path> stretches{p};
  if (!corners.empty()) {
    LUMSK_TRY(parts, splitAt(p, corners, cx.tolerances.point));
    stretches = std::move(parts);
  }
  std::vector<Segment> out;
  for (const Path& s : stretches) {
    if (cx.stopped()) return fail(cancelled());
    if (s.segments().size() == 1 && std::holds_alternative<LineSegment>(s.segments().front()) && stretches.size() > 1) {
      out.push_back(s.segments().front());
      continue;
    }
    LUMSK_TRY(c, refitStretch(s, o));
    out.push_back(std::move(c));
  }
  return measured(Path::make(std::move(out), cx.tolerances.point), p);
}

Expected<ChangedCurve> throughJoints(const Path& p, int degree, const Context& cx) {
  const int n = int(p.segments().size());
  Points pts(n + (p.closed() ? 0 : 1), 3);
  for (Eigen::Index i = 0; i < pts.rows(); ++i) pts.row(i) = p.at(double(i)).transpose();
  InterpolationOptions o;
  o.degree = degree;
  o.closed = p.closed();
  LUMSK_TRY(c, interpolate(pts, o));
  return measured(Path::make({c}, cx.tolerances.point), p);
}

Expected<ChangedCurve> withKnot(const Path& p, double at, const Context& cx) {
  LUMSK_TRY(splines, splinesOf(p, cx));
  const int i = std::clamp(int(std::floor(at)), 0, int(splines.size()) - 1);
  Spline& c = splines[i];
  if (c.degree() < 3) c = elevate(c, 3 - c.degree());
  const double u = c.first() + (at - i) * (c.last() - c.first());
  const bool inside = u > c.first() + 1e-9 * (c.last() - c.first()) && u < c.last() - 1e-9 * (c.last() - c.first());
  if (!inside || multiplicity(c.knots(), u) >= c.degree() - 1)
    return fail(
        problem("LM-P044", "there is no room for another knot").at(p.at(at)).tryThis("pick a place inside a span"));
  c = insertKnot(c, u);
  return measured(pathOf(std::move(splines), cx), p);
}

Expected<ChangedCurve> withFewerKnots(const Path& p, LengthTolerance most, const Context& cx) {
  LUMSK_TRY(splines, splinesOf(p, cx));
  for (Spline& c : splines) c = removeKnots(c, most).curve;
  return measured(pathOf(std::move(splines), cx), p);
}

Expected<ChangedCurve> withDegree(const Path& p, int degree, const Context& cx) {
  if (degree < 2 || degree > 7) return fail(outOfRange("degree", degree, 2, 7));
  LUMSK_TRY(splines, splinesOf(p, cx));
  for (Spline& c : splines)
    if (c.degree() < degree) c = elevate(c, degree - c.degree());
  return measured(pathOf(std::move(splines), cx), p);
}

Expected<Path> curveBetween(const Path& a, const Path& b, double weight, const Context& cx) {
  const std::vector<Section> sections{{a, false, {}}, {b, false, {}}};
  const std::vector<ArcLength> lengths{ArcLength(a), ArcLength(b)};
  LUMSK_TRY(aligned, alignSections(sections, lengths, {}, cx.tolerances));
  const auto place = [&](size_t strip, double f) {
    Vec3 at[2];
    for (int i : {0, 1}) {
      const AlignedSection& x = aligned.sections[i];
      at[i] = alignedPoint(sections[i], lengths[i], x, x.breaks[strip] + f * (x.breaks[strip + 1] - x.breaks[strip]));
    }
    return Vec3((1 - weight) * at[0] + weight * at[1]);
  };
  std::vector<Segment> parts;
  for (int k = 0; k < aligned.strips; ++k) {
    CurveFamily family;
    family.curves = 1;
    family.closed = aligned.closed && aligned.strips == 1;
    family.sample = [&](double t, double* out) {
      Eigen::Map<Vec3>(out, 3) = place(size_t(k), std::clamp(t, 0.0, 1.0));
    };
    LeanOptions o;
    o.fit = cx.tolerances.fit;
    o.firstSpans = 1;
    LUMSK_TRY(fit, fitLean(family, o));
    parts.push_back(fit.curve(0));
  }
  return Path::make(std::move(parts), {2 * cx.tolerances.point.mm});
}

PathFigures figuresOf(const Path& p) {
  PathFigures out;
  out.lengthMm = ArcLength(p).total();
  for (const Segment& s : p.segments()) {
    const auto* c = std::get_if<Spline>(&s);
    out.degree = std::max(out.degree, c ? c->degree() : std::holds_alternative<LineSegment>(s) ? 1 : 2);
    out.spans += c ? c->spans() : 1;
    out.controlPoints += c ? c->size() : std::holds_alternative<LineSegment>(s) ? 2 : 3;
  }
  return out;
}

} // namespace lumsk::nurbs
