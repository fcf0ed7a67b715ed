#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/curve_parts.h"
#include "recipe/portion.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace split_curve_ {

Schema schema() {
  return {picks("curve", "Curve", "The curve or edge to split; its pieces are curves of their own.",
                Kind::Curve | Kind::Edge)
              .atMost(1),
          picks("by", "By", "Points, curves and planes: the curve is split wherever it meets one of them.",
                Kind::Point | Kind::Curve | Kind::Edge | Kind::Plane)
              .optional(),
          table("at", "At", "Or fractions of its length.",
                {ratioField("fraction", "Fraction", "Of the length, from the start.", "0.5").within(0, 1)}),
          hideField("curve")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  const nurbs::ArcLength length(path);
  std::vector<double> places;
  for (double f : in.column("at", "fraction"))
    places.push_back(nurbs::exactParameterAt(path, length, f * length.total()));
  for (const Picked& p : in.picked("by")) {
    const auto found = meetingPlaces(path, p.object, cx.tolerances);
    if (found.empty()) {
      Problem miss = problem("LM-P048", "this does not meet the curve").tryThis("pick something that crosses it");
      miss.item = p.item;
      return fail(miss.inField("by"));
    }
    places.insert(places.end(), found.begin(), found.end());
  }
  if (places.empty())
    return fail(problem("LM-P048", "say where to split the curve")
                    .at(path.at(0.5 * path.last()))
                    .inField("by")
                    .tryThis("pick a point, curve or plane that meets it, or add a fraction"));
  auto pieces = nurbs::splitAt(path, places, cx.tolerances.point);
  if (!pieces) return fail(pieces.error().inField("by"));
  Outcome out = curvesOutcome(std::move(*pieces), "");
  out.summary = out.outputs.size() == 1 ? "opened" : std::to_string(out.outputs.size()) + " pieces";
  for (double t : places) out.marks.add(Flag{"by", "", path.at(t), Vec3::Zero(), false, "cut", 1});
  hidePicked(in, "curve", out);
  return out;
}

} // namespace split_curve_

Step split_curve() { return Step{"split_curve", 1, "Split curve", Stage::Curves, split_curve_::schema, split_curve_::compute}.under("change"); }

} // namespace lumsk::steps
