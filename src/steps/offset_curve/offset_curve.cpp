#include "nurbs/on_skin/planar.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace offset_curve_ {

Schema schema() {
  return {picks("curve", "Curve", "A planar curve or chain.", Kind::Curve | Kind::Edge).atMost(1),
          picks("plane", "In plane", "Its plane; a straight curve needs one.", Kind::Plane).optional().atMost(1),
          length("distance", "Distance",
                 "To the left of its direction; of closed curves outwards; negative to the other side.", "5")
              .withHandle(Handle::Distance),
          choice("corners", "Corners", "Outer corners get an arc, or both sides are carried on straight.",
                 {{"round", "round"}, {"sharp", "sharp"}})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  const auto fit = nurbs::fitPlane(nurbs::polyline(path, 16));
  if (in.picked("plane").empty() && !fit.unique)
    return fail(problem("LM-P051", "a straight curve does not say in which plane")
                    .at(path.start())
                    .inField("plane")
                    .tryThis("pick its plane"));
  Frame plane = in.picked("plane").empty() ? fit.frame : in.plane("plane", {});
  // Round closed curves the normal follows their direction, so that their left is the inside.
  double d = in.number("distance");
  if (path.closed()) {
    if (plane.normal().dot(fit.frame.normal()) < 0) plane.y = -plane.y;
    d = -d;
  }
  if (std::abs(d) <= cx.tolerances.point.mm)
    return fail(problem("LM-P052", "an offset needs a distance")
                    .measure(millimetres(d))
                    .at(path.start())
                    .inField("distance")
                    .tryThis("take a distance that is not nought"));
  auto made = nurbs::offsetInPlane(
      path, plane, d, in.text("corners") == "sharp" ? nurbs::OffsetCorner::Sharp : nurbs::OffsetCorner::Round, cx);
  if (!made) return fail(made.error().inField("distance"));
  const size_t n = made->curves.size();
  const double within = made->deviationMm;
  Outcome out = curvesOutcome(std::move(made->curves), "");
  out.summary =
      (n == 1 ? curveSummary(*std::get<CurvePtr>(out.outputs.front().object)) : std::to_string(n) + " curves") +
      " - within " + format(millimetres(within), 1);
  nurbs::CurveDerivatives e;
  path.derivatives(0.5 * path.last(), 1, e);
  out.marks.add(HandlePlace{"distance", e[0], (path.closed() ? -1 : 1) * plane.normal().cross(e[1]).normalized(), 1.0});
  return out;
}

} // namespace offset_curve_

Step offset_curve() { return Step{"offset_curve", 1, "Offset curve", Stage::Curves, offset_curve_::schema, offset_curve_::compute}.under("from others"); }

} // namespace lumsk::steps
