#include "nurbs/curves/helix.h"

#include "nurbs/fit/monotone.h"
#include "steps/curves.h"
#include "steps/graphs.h"

namespace lumsk::steps {

using namespace recipe;

namespace helix_ {

Schema schema() {
  return {
      picks("plane", "On plane", "The plane that the axis stands square on; without one, the top plane.", Kind::Plane)
          .optional()
          .atMost(1),
      picks("centre", "Centre", "A point that the axis goes through; without one, the plane's origin.", Kind::Point)
          .optional()
          .atMost(1),
      picks("axis", "Centre line", "A curve to wind around instead of a straight axis; its length is the height.",
            Kind::Curve | Kind::Edge)
          .optional()
          .atMost(1),
      choice("by", "Given by", "Which two numbers are given; the third follows.",
             {{"pitchTurns", "pitch, turns"}, {"heightTurns", "height, turns"}, {"heightPitch", "height, pitch"}}),
      length("pitch", "Pitch", "Advance along the axis in one turn.", "10")
          .within(0, 1e5)
          .unless("by", {"heightTurns"}),
      ratioField("turns", "Turns", "How often it goes round; any number.", "5")
          .within(0, 500)
          .unless("by", {"heightPitch"}),
      length("height", "Height", "Along the axis; nought for a flat spiral. A centre line has its own length.", "50")
          .unless("by", {"pitchTurns"})
          .withHandle(Handle::Distance),
      length("radius", "Radius", "At the start.", "15").within(0, 1e5).withHandle(Handle::Distance),
      length("endRadius", "End radius", "At the end: another one gives a cone, or with no height a flat spiral.", "15")
          .within(0, 1e5),
      graph("radii", "Radius graph",
            "Radii at fractions of the turns, joined smoothly; with rows here both radii above are not used.",
            Dimension::Length),
      angle("startAngle", "Start angle", "From the plane's first direction.", "0"),
      choice("hand", "Hand", "Which way it turns.", {{"right", "right-handed"}, {"left", "left-handed"}})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  nurbs::HelixOptions o;
  o.base = in.plane("plane", topPlane());
  if (const auto& c = in.picked("centre"); !c.empty()) o.base.origin = std::get<PointObject>(c.front().object).at;
  const auto& axis = in.picked("axis");
  const std::string by = in.text("by");
  const double pitch = in.has("pitch") ? in.number("pitch") : 0.0;
  o.turns = in.has("turns") ? in.number("turns") : 0.0;
  o.heightMm = in.has("height") ? in.number("height") : 0.0;
  if (!axis.empty()) {
    o.axis = curveOf(axis.front()).get();
    o.heightMm = nurbs::figuresOf(*o.axis).lengthMm;
  }
  if (by == "heightPitch" || (o.axis && by == "pitchTurns")) {
    if (!(pitch > 0))
      return fail(problem("LM-P022", "a helix of no pitch has no number of turns")
                      .measure(millimetres(pitch))
                      .inField("pitch")
                      .tryThis("give a pitch above nought, or height and turns"));
    o.turns = std::abs(o.heightMm) / pitch;
  } else if (by == "pitchTurns") {
    o.heightMm = pitch * o.turns;
  }
  o.radiusMm = in.number("radius");
  o.endRadiusMm = in.number("endRadius");
  LUMSK_TRY(radii, graphOf(in, "radii"));
  o.radiusAt = radii;
  o.startAngleDeg = in.number("startAngle");
  o.leftHanded = in.text("hand") == "left";
  auto made = nurbs::helix(o, cx);
  if (!made) return fail(made.error().inField(made.error().code == "LM-P022" && in.has("turns") ? "turns" : "radius"));
  LUMSK_TRY(path, nurbs::Path::make({*made}, cx.tolerances.point));
  Outcome out =
      curveOutcome(path, formatNumber(o.turns, 3) + " turns - " + format(millimetres(std::abs(o.heightMm)), 4) +
                             " high - " + std::to_string(made->size()) + " points");
  if (!o.axis) {
    const double a = radFromDeg(o.startAngleDeg);
    const Vec3 x = std::cos(a) * o.base.x + (o.leftHanded ? -1 : 1) * std::sin(a) * o.base.y;
    out.marks.add(HandlePlace{"radius", o.base.origin, x, 1.0});
    if (in.has("height")) out.marks.add(HandlePlace{"height", o.base.origin, o.base.normal(), 1.0});
  }
  return out;
}

} // namespace helix_

Step helix() { return Step{"helix", 1, "Helix", Stage::Curves, helix_::schema, helix_::compute}.under("draw"); }

} // namespace lumsk::steps
