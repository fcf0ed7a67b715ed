#include "nurbs/curves/curve_parts.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace join_curves_ {

Schema schema() {
  return {
      picks("curves", "Curves", "Curves and edges that follow one another, in any order and direction.",
            Kind::Curve | Kind::Edge),
      length("gap", "Largest gap", "Ends that are no farther apart are brought together in their middle.", "0.01")
          .within(0, 1000),
      toggle("close", "Close", "Brings the two ends of the whole together, too.", false),
      choice("as", "As", "The pieces as they are, or one spline without joints.",
             {{"chain", "chain of pieces"}, {"spline", "one spline"}}),
      length("within", "Within", "How far the one spline may be from the pieces.", "0.01")
          .within(1e-6, 1000)
          .when("as", {"spline"}),
      toggle("corners", "Keep corners", "Corners stay sharp; otherwise they are rounded within the deviation.", true)
          .when("as", {"spline"}),
      hideField("curves")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  auto chain = nurbs::chained(curvesOf(in, "curves"), {in.number("gap")}, cx);
  if (!chain) return fail(chain.error().inField("curves"));
  nurbs::Path path = chain->path;
  if (in.on("close") && !path.closed()) {
    LUMSK_TRY(closed, nurbs::closedUp(path, cx));
    path = closed.path;
  }
  double off = 0;
  Vec3 offAt = Vec3::Zero();
  if (in.text("as") == "spline") {
    nurbs::RefitOptions o;
    o.within = {in.number("within")};
    o.keepCorners = in.on("corners");
    auto made = nurbs::refitted(path, o, cx);
    if (!made) return fail(made.error().inField("within"));
    path = made->path, off = made->movedMm, offAt = made->movedAt;
  }
  Outcome out = curveOutcome(path, curveSummary(path));
  if (chain->largestGapMm > cx.tolerances.point.mm)
    out.notes.push_back(problem("LM-P105", "ends were brought together over a gap")
                            .measure(millimetres(chain->largestGapMm))
                            .at(chain->gapAt));
  if (in.text("as") == "spline") out.summary += " - within " + format(millimetres(off), 2);
  noteDeviation(out, off, offAt, cx.tolerances);
  hidePicked(in, "curves", out);
  return out;
}

} // namespace join_curves_

Step join_curves() { return Step{"join_curves", 1, "Join curves", Stage::Curves, join_curves_::schema, join_curves_::compute}.under("change"); }

} // namespace lumsk::steps
