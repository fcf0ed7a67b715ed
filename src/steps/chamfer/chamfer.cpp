#include "steps/rounding.h"

namespace lumsk::steps {

using namespace recipe;

namespace chamfer_ {

Schema schema() {
  return {
      edgesField("Edges of bodies that are cut straight."),
      choice("by", "By", "What says how large it is.",
             {{"distance", "distance from the edge"}, {"two", "two distances"}, {"angle", "distance and angle"}, {"width", "width across"}}),
      length("size", "Size", "Distance of both cuts from the edge, of the one to its left, or the width from cut to cut.", "1").within(0, 1e4).withHandle(Handle::Distance),
      length("other", "Right", "Distance of the cut to the right of the edge, seen from outside along it.", "2").within(0, 1e4).when("by", {"two"}),
      angle("angle", "Angle", "Of the chamfer to the skin on the left.", "30").within(1, 179).when("by", {"angle"}),
      toggle("flip", "The other way", "Left is right.", false).when("by", {"two", "angle"})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string by = in.text("by");
  const double other = in.has("other") ? in.number("other") : 0;
  if (by == "two" && !(other > cx.tolerances.point.mm))
    return fail(problem("LM-O001", "it needs a distance above nought").measure(millimetres(other)).inField("other").tryThis("give a distance above nought"));
  const bool flip = in.has("flip") && in.on("flip");
  EdgeWork work{"chamfer", {}, by == "distance", ""};
  work.options = [&](double size) {
    nurbs::RoundOptions o;
    o.section = nurbs::RoundSection::Flat;
    o.by = by == "width" ? nurbs::RoundBy::Width : nurbs::RoundBy::Distances;
    o.size = [size](double) { return size; };
    o.distancesMm = {size, by == "two" ? other : size};
    if (by == "angle") o.angleDeg = in.number("angle");
    o.flipped = flip;
    return o;
  };
  return workOnEdges(in, work, cx);
}

} // namespace chamfer_

Step chamfer() { return {"chamfer", 1, "Chamfer", Stage::Solid, chamfer_::schema, chamfer_::compute}; }

} // namespace lumsk::steps
