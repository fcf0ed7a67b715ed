#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace project_curve_ {

Schema schema() {
  return {
      picks("curves", "Curves", "Curves and edges to project.", Kind::Curve | Kind::Edge),
      onSkins("skins", "Onto", "Skins, solids or single faces to project onto."),
      choice("how", "How", "Along one direction, or to the nearest places.",
             {{"direction", "along a direction"}, {"normal", "along normals"}}),
      picks("direction", "Direction",
            "A plane, whose normal counts, or a straight curve; without one, square to the curve's own plane.",
            Kind::Plane | Kind::Curve | Kind::Edge)
          .optional()
          .atMost(1)
          .when("how", {"direction"}),
      choice("which", "Images", "All images, or the one that is met first.", {{"first", "the first"}, {"all", "all"}})
          .when("how", {"direction"}),
      hideField("curves")};
}

Expected<Vec3> directionFor(const Inputs& in, const nurbs::Path& curve) {
  const auto& picked = in.picked("direction");
  if (picked.empty()) {
    const auto plane = nurbs::fitPlane(nurbs::polyline(curve, 16));
    if (plane.unique) return plane.frame.normal();
    return fail(problem("LM-P032", "a straight curve has no plane of its own")
                    .at(curve.start())
                    .inField("direction")
                    .tryThis("pick a plane or a straight curve as direction"));
  }
  if (const auto* p = std::get_if<PlaneObject>(&picked.front().object)) return p->frame.normal();
  const nurbs::Path& line = *curveOf(picked.front());
  if (line.closed())
    return fail(problem("LM-P032", "a closed curve gives no direction")
                    .at(line.start())
                    .inField("direction")
                    .tryThis("pick a straight one"));
  return (line.end() - line.start()).normalized();
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(skins, facesOf(in, "skins", cx));
  brep::FoundCurves found;
  int missed = 0;
  for (const Picked& p : in.picked("curves")) {
    const nurbs::Path& curve = *curveOf(p);
    size_t before = found.curves.size();
    for (const auto& s : skins) {
      if (in.text("how") == "normal") {
        LUMSK_TRY(made, s.pulledOnto(curve, cx));
        addFound(std::move(made), found);
      } else {
        LUMSK_TRY(d, directionFor(in, curve));
        LUMSK_TRY(made, s.projected(curve, d, in.text("which") == "first", cx));
        addFound(std::move(made), found);
      }
    }
    missed += found.curves.size() == before;
  }
  LUMSK_TRY(out, foundOutcome(std::move(found), "skins", "the projection misses the skins", cx));
  if (missed > 0)
    out.notes.push_back(problem("LM-P106", "some curves miss the skins")
                            .measure(count(missed))
                            .tryThis("move them, or project another way"));
  hidePicked(in, "curves", out);
  return out;
}

} // namespace project_curve_

Step project_curve() { return Step{"project_curve", 1, "Project curve", Stage::Curves, project_curve_::schema, project_curve_::compute}.under("from others"); }

} // namespace lumsk::steps
