#include "recipe/portion.h"

#include "nurbs/arc_length.h"
#include "nurbs/closest.h"
#include "nurbs/curve_parts.h"
#include "nurbs/meet.h"
#include "nurbs/roots.h"

#include <algorithm>

namespace lumsk::recipe {

namespace {

constexpr double kMeetingGapTolerances = 100; ///< a curve that passes within so many point tolerances meets it

/// How near an object comes to a curve that it does not meet.
std::pair<double, Vec3> nearness(const nurbs::Path& master, const Object& object) {
  if (const auto* c = std::get_if<CurvePtr>(&object)) {
    const nurbs::Meeting m = nurbs::nearest(nurbs::MeetingSide(master), nurbs::MeetingSide(**c));
    return {m.gapMm, m.middle()};
  }
  if (const auto* p = std::get_if<PointObject>(&object)) {
    const auto c = nurbs::closestPoint(master, p->at);
    return {c.distanceMm, c.point};
  }
  const auto* plane = std::get_if<PlaneObject>(&object);
  if (!plane) return {0.0, master.start()};
  const Points pts = nurbs::polyline(master, 16);
  Eigen::Index at = 0;
  const double d = ((pts.rowwise() - plane->frame.origin.transpose()) * plane->frame.normal()).cwiseAbs().minCoeff(&at);
  return {d, pts.row(at).transpose()};
}

Expected<double> endAt(const nurbs::Path& master, const PortionEnd& end, double fallback, const Tolerances& tol) {
  if (!end.at) return end.fraction.value_or(fallback);
  const std::vector<double> all = meetingFractions(master, *end.at, tol);
  if (all.empty()) {
    const auto [gap, at] = nearness(master, *end.at);
    return fail(problem("LM-R050", "what the part is to end at does not meet the curve")
                    .measure(millimetres(gap))
                    .want(millimetres(kMeetingGapTolerances * tol.point.mm))
                    .at(at)
                    .tryThis("let them cross, or take a fraction instead"));
  }
  const double near = end.fraction.value_or(fallback);
  return *std::min_element(all.begin(), all.end(),
                           [&](double a, double b) { return std::abs(a - near) < std::abs(b - near); });
}

} // namespace

std::vector<double> meetingFractions(const nurbs::Path& master, const Object& object, const Tolerances& tol) {
  const nurbs::ArcLength length(master);
  const double limit = kMeetingGapTolerances * tol.point.mm;
  std::vector<double> out;
  if (const auto* c = std::get_if<CurvePtr>(&object)) {
    for (const nurbs::Meeting& m : nurbs::meetings(master, **c, limit).list) out.push_back(length.fractionAt(m.s));
  } else if (const auto* p = std::get_if<PointObject>(&object)) {
    const auto near = nurbs::closestPoint(master, p->at);
    if (near.distanceMm <= limit) out.push_back(length.fractionAt(near.t));
  } else if (const auto* plane = std::get_if<PlaneObject>(&object)) {
    for (double t : nurbs::planeCrossings(master, plane->frame, tol.point.mm)) out.push_back(length.fractionAt(t));
  }
  return out;
}

Expected<Portion> portionOf(const CurvePtr& master, const PortionEnd& from, const PortionEnd& to,
                            const Tolerances& tol) {
  Portion out;
  LUMSK_TRY(a, endAt(*master, from, 0.0, tol));
  LUMSK_TRY(b, endAt(*master, to, 1.0, tol));
  out.from = a, out.to = b;
  const nurbs::ArcLength length(*master);
  if (!master->closed() && out.from > out.to) std::swap(out.from, out.to);
  const bool whole = out.from <= 0 && out.to >= 1;
  if (whole) {
    out.curve = master;
    return out;
  }
  const auto place = [&](double f) { return nurbs::exactParameterAt(*master, length, f * length.total()); };
  auto part = nurbs::pathPortion(*master, place(out.from), place(out.to), tol.point);
  if (!part)
    return fail(problem("LM-R051", "the part of the curve has no length")
                    .at(master->at(place(out.from)))
                    .tryThis("move its two ends apart"));
  out.curve = std::make_shared<const nurbs::Path>(std::move(*part));
  return out;
}

} // namespace lumsk::recipe
