#include "nurbs/curves/two_view.h"

#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace two_view_ {

Schema schema() {
  return {
      picks("drawings", "Drawings",
            "Planar curves of two views, in any order: what is seen from one side, and what from the other.",
            Kind::Curve | Kind::Edge)
          .atLeast(2)
          .drawnHere({{"drawing"}, {"spline"}}),
      picks("planes", "Planes", "Planes of the drawings; only straight ones do not tell their own.", Kind::Plane)
          .optional()
          .atMost(2),
      toggle("corners", "Corner lines",
             "Adds the straight lines that corners of one outline draw through the other: with closed outlines, all "
             "sharp edges of the body that both give.",
             false),
      hideField("drawings")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  std::vector<Frame> planes;
  for (const Picked& p : in.picked("planes")) planes.push_back(std::get<PlaneObject>(p.object).frame);
  auto views = nurbs::sortedIntoViews(curvesOf(in, "drawings"), planes, cx.tolerances);
  if (!views) return fail(views.error().inField("drawings"));
  nurbs::TwoViewOptions o;
  o.cornerLines = in.on("corners");
  auto made = nurbs::twoViewCurve(views->first, views->second, o, cx);
  if (!made) return fail(made.error().inField("drawings"));
  const size_t n = made->branches.size();
  Outcome out = curvesOutcome(std::move(made->branches), "");
  out.summary = (n == 1 ? "one curve" : std::to_string(n) + " curves") + " - views at " +
                format(degrees(made->angleDeg), 3) + " - within " + format(millimetres(made->deviationMm), 1);
  if (!made->touches.empty()) {
    Problem note =
        problem("LM-P102", "the views also touch in single points").measure(count(double(made->touches.size())));
    note.where = made->touches;
    out.notes.push_back(std::move(note));
  }
  hidePicked(in, "drawings", out);
  return out;
}

} // namespace two_view_

Step two_view() { return Step{"two_view", 1, "Two-view curve", Stage::Curves, two_view_::schema, two_view_::compute}.under("from others"); }

} // namespace lumsk::steps
