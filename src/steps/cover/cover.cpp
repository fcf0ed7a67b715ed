#include "brep/cover.h"

#include "steps/openings.h"

namespace lumsk::steps {

using namespace recipe;

namespace cover_ {

Schema schema() {
  return {
      picks("edges", "Ring", "One edge of each opening to close; or curves and edges that form a ring.",
            Kind::Edge | Kind::Curve)
          .atLeast(1)
          .prefer(Kind::Edge),
      toggle("knit", "Knit in", "Joins the cover with the body; a body that is closed then becomes a solid.", true),
      length("gap", "Largest gap", "Ends of the ring and edges of the body within this distance are joined.", "0.01")
          .within(0.0001, 5)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const double gap = in.number("gap");
  std::vector<brep::NamedFace> covers;
  double height = 0;
  for (const PickedRing& r : ringsIn(in, "edges", gap)) {
    auto made = brep::cover(r.ring, brep::faceName(in.stepId(), "cover", r.item), cx);
    if (!made) return fail(made.error().inField("edges"));
    height = std::max(height, made->planar ? 0.0 : made->heightMm);
    covers.push_back(made->face);
  }
  LUMSK_TRY(closed, closeWith(in, "edges", covers, gap, in.on("knit"), "cover", cx));
  Outcome out = std::move(closed.outcome);
  out.summary += height > 0 ? " - rises " + format(millimetres(height), 3) : " - flat";
  return out;
}

} // namespace cover_

Step cover() { return Step{"cover", 1, "Cover", Stage::Trim, cover_::schema, cover_::compute}.under("join"); }

} // namespace lumsk::steps
