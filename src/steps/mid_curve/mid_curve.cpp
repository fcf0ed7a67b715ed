#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace mid_curve_ {

Schema schema() {
  return {picks("curves", "Curves", "Two curves; directions and starts are brought together.", Kind::Curve | Kind::Edge)
              .atLeast(2)
              .atMost(2),
          ratioField("weight", "Between", "0 is the first curve, 1 the second, 0.5 the middle.", "0.5").within(-1, 2)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto curves = curvesOf(in, "curves");
  auto made = nurbs::curveBetween(curves[0], curves[1], in.number("weight"), cx);
  if (!made) return fail(made.error().inField("curves"));
  return curveOutcome(*made, curveSummary(*made));
}

} // namespace mid_curve_

Step mid_curve() { return Step{"mid_curve", 1, "Mid curve", Stage::Curves, mid_curve_::schema, mid_curve_::compute}.under("from others"); }

} // namespace lumsk::steps
