#include "nurbs/measure/arc_length.h"
#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace offset_on_skin_ {

Schema schema() {
  return {picks("curve", "Curve", "The curve or edge to keep the distance from; it lies on the skin or near it.",
                Kind::Curve | Kind::Edge)
              .atMost(1),
          onSkins("skins", "On", "The skin, solid or face that the new curves lie on."),
          length("distance", "Distance", "From the curve, measured straight.", "5").within(1e-3, 1e5),
          choice("side", "Side", "Which curves: all, or those to the left or right of the curve, seen from outside.",
                 {{"both", "all"}, {"left", "left"}, {"right", "right"}})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& curve = *curveOf(in.picked("curve").front());
  LUMSK_TRY(skins, facesOf(in, "skins", cx));
  brep::FoundCurves found;
  const std::string side = in.text("side");
  for (const auto& s : skins) {
    LUMSK_TRY(made, s.apartFrom(curve, in.number("distance"), cx));
    if (side != "both")
      made.curves.erase(std::remove_if(made.curves.begin(), made.curves.end(),
                                       [&](const nurbs::Path& c) { return s.leftOf(c, curve) != (side == "left"); }),
                        made.curves.end());
    addFound(std::move(made), found);
  }
  return foundOutcome(std::move(found), "distance", "no place of the skin is that far from the curve", cx);
}

} // namespace offset_on_skin_

Step offset_on_skin() { return Step{"offset_on_skin", 1, "Offset on skin", Stage::Curves, offset_on_skin_::schema, offset_on_skin_::compute}.under("from others"); }

} // namespace lumsk::steps
