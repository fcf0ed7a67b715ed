#include "steps/graphs.h"
#include "steps/rounding.h"

namespace lumsk::steps {

using namespace recipe;

namespace round_ {

Schema schema() {
  return {
      edgesField("Edges of bodies that become round."),
      choice("section", "Section", "Across: what a rolling ball leaves; a conic; or with the curvature of the skins at both sides.",
             {{"round", "round"}, {"conic", "conic"}, {"smooth", "smooth, G2"}}),
      ratioField("rho", "Rho", "How far the conic reaches to the edge: 0.5 is a parabola, less is flatter, more is sharper.", "0.5").within(0.05, 0.95).when("section", {"conic"}),
      choice("by", "Size by", "What the size says.", {{"radius", "radius"}, {"width", "width across"}}),
      length("size", "Size", "Radius of the ball, or width from skin to skin.", "2").within(0, 1e4).withHandle(Handle::Distance),
      graph("along", "Size along", "Factors of the size by the fraction of the edge's length.", Dimension::Ratio).seldomSet()};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(along, graphOf(in, "along"));
  EdgeWork work{"round", {}, false, "along"};
  nurbs::RoundOptions o;
  const std::string section = in.text("section");
  o.section = section == "conic" ? nurbs::RoundSection::Conic : section == "smooth" ? nurbs::RoundSection::Smooth : nurbs::RoundSection::Circle;
  o.by = in.text("by") == "width" ? nurbs::RoundBy::Width : nurbs::RoundBy::Radius;
  if (in.has("rho")) o.rho = in.number("rho");
  work.kernel = section == "round" && o.by == nurbs::RoundBy::Radius && !along;
  work.options = [o, along = along](double size) {
    nurbs::RoundOptions out = o;
    out.size = [size, along](double f) { return size * (along ? along(f) : 1.0); };
    return out;
  };
  return workOnEdges(in, work, cx);
}

} // namespace round_

Step round() { return {"round", 1, "Round", Stage::Solid, round_::schema, round_::compute}; }

} // namespace lumsk::steps
