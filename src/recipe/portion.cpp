#include "recipe/portion.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/meet.h"
#include "nurbs/core/roots.h"

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

/// An end as a parameter and as a fraction of the length. What is met is met exactly: no way round by the length.
struct End {
  double t = 0.0, fraction = 0.0;
};

Expected<End> endAt(const nurbs::Path& master, const nurbs::ArcLength& length, const PortionEnd& end, double fallback,
                    const Tolerances& tol) {
  const double near = end.fraction.value_or(fallback);
  if (!end.at) return End{nurbs::exactParameterAt(master, length, near * length.total()), near};
  std::optional<End> best;
  for (double t : meetingPlaces(master, *end.at, tol)) {
    const double f = length.fractionAt(t);
    if (!best || std::abs(f - near) < std::abs(best->fraction - near)) best = End{t, f};
  }
  if (best) return *best;
  const auto [gap, at] = nearness(master, *end.at);
  return fail(problem("LM-R050", "what the part is to end at does not meet the curve")
                  .measure(millimetres(gap))
                  .want(millimetres(kMeetingGapTolerances * tol.point.mm))
                  .at(at)
                  .tryThis("let them cross, or take a fraction instead"));
}

} // namespace

std::vector<double> meetingPlaces(const nurbs::Path& master, const Object& object, const Tolerances& tol) {
  const double limit = kMeetingGapTolerances * tol.point.mm;
  std::vector<double> out;
  if (const auto* c = std::get_if<CurvePtr>(&object)) {
    for (const nurbs::Meeting& m : nurbs::meetings(master, **c, limit).list) out.push_back(m.s);
  } else if (const auto* p = std::get_if<PointObject>(&object)) {
    const auto near = nurbs::closestPoint(master, p->at);
    if (near.distanceMm <= limit) out.push_back(near.t);
  } else if (const auto* plane = std::get_if<PlaneObject>(&object)) {
    out = nurbs::planeCrossings(master, plane->frame, tol.point.mm);
  }
  return out;
}

Expected<Portion> portionOf(const CurvePtr& master, const PortionEnd& from, const PortionEnd& to,
                            const Tolerances& tol) {
  Portion out;
  const nurbs::ArcLength length(*master);
  LUMSK_TRY(a, endAt(*master, length, from, 0.0, tol));
  LUMSK_TRY(b, endAt(*master, length, to, 1.0, tol));
  if (!master->closed() && a.fraction > b.fraction) std::swap(a, b);
  out.from = a.fraction, out.to = b.fraction;
  if (out.from <= 0 && out.to >= 1) {
    out.curve = master;
    return out;
  }
  auto part = nurbs::pathPortion(*master, a.t, b.t, tol.point);
  if (!part)
    return fail(problem("LM-R051", "the part of the curve has no length")
                    .at(master->at(a.t))
                    .tryThis("move its two ends apart"));
  out.curve = std::make_shared<const nurbs::Path>(std::move(*part));
  return out;
}

} // namespace lumsk::recipe
