#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace silhouette_ {

Schema schema() {
  return {onSkins("skins", "Skins", "Skins, solids or single faces to look at."),
          picks("direction", "Direction",
                "A plane, whose normal is looked along, or a straight curve; without one, upwards.",
                Kind::Plane | Kind::Curve | Kind::Edge)
              .optional()
              .atMost(1)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(skins, facesOf(in, "skins", cx));
  Vec3 d = Vec3::UnitZ();
  if (const auto& p = in.picked("direction"); !p.empty()) {
    if (const auto* plane = std::get_if<PlaneObject>(&p.front().object))
      d = plane->frame.normal();
    else
      d = (curveOf(p.front())->end() - curveOf(p.front())->start());
    if (!(d.norm() > cx.tolerances.point.mm))
      return fail(
          problem("LM-P032", "a closed curve gives no direction").inField("direction").tryThis("pick a straight one"));
  }
  brep::FoundCurves found;
  for (const auto& s : skins) {
    LUMSK_TRY(made, s.silhouette(d.normalized(), cx));
    addFound(std::move(made), found);
  }
  return foundOutcome(std::move(found), "skins", "nothing turns out of sight in this direction", cx);
}

} // namespace silhouette_

Step silhouette() { return Step{"silhouette", 1, "Silhouette", Stage::Curves, silhouette_::schema, silhouette_::compute}.under("from others"); }

} // namespace lumsk::steps
