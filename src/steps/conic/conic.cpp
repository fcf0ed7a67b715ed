#include "nurbs/on_skin/planar.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace conic_ {

Schema schema() {
  return {
      picks("through", "Start, corner, end",
            "Three points: the curve runs from the first to the last and is tangent to the lines to the middle one.",
            Kind::Point)
          .atLeast(3)
          .atMost(3),
      ratioField("rho", "Rho",
                 "How far it reaches towards the corner: below 0.5 an ellipse, 0.5 a parabola, above a hyperbola.",
                 "0.5")
          .within(0.02, 0.98)
          .withHandle(Handle::Distance)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Vec3 p[3];
  for (int i = 0; i < 3; ++i) p[i] = std::get<PointObject>(in.picked("through")[i].object).at;
  auto made = nurbs::conic(p[0], p[1], p[2], in.number("rho"), cx);
  if (!made) return fail(made.error().inField("through"));
  Outcome out = curveOutcome(*made, curveSummary(*made));
  const Vec3 middle = 0.5 * (p[0] + p[2]), reach = p[1] - middle;
  if (reach.norm() > 0) out.marks.add(HandlePlace{"rho", middle, reach.normalized(), reach.norm()});
  return out;
}

} // namespace conic_

Step conic() { return Step{"conic", 1, "Conic", Stage::Curves, conic_::schema, conic_::compute}.under("draw"); }

} // namespace lumsk::steps
