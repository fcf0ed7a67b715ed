#include "nurbs/on_skin/planar.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace round_corners_ {

Schema schema() {
  return {picks("curve", "Curve", "A chain whose corners are rounded; around each corner it is planar.",
                Kind::Curve | Kind::Edge)
              .atMost(1),
          length("radius", "Radius", "Of all corners.", "5").within(1e-3, 1e5).withHandle(Handle::Distance),
          hideField("curve")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  auto made = nurbs::roundedCorners(path, in.number("radius"), cx);
  if (!made) return fail(made.error().inField("radius"));
  const auto corners = path.corners(cx.tolerances.corner);
  Outcome out = curveOutcome(*made, std::to_string(corners.size()) + (corners.size() == 1 ? " corner" : " corners"));
  const Vec3 in1 = path.tangentBefore(corners.front() == 0 ? path.last() : corners.front());
  out.marks.add(HandlePlace{"radius", path.at(corners.front()), -in1.normalized(), 1.0});
  hidePicked(in, "curve", out);
  return out;
}

} // namespace round_corners_

Step round_corners() { return Step{"round_corners", 1, "Round corners", Stage::Curves, round_corners_::schema, round_corners_::compute}.under("change"); }

} // namespace lumsk::steps
