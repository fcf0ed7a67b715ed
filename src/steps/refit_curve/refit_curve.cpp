#include "nurbs/measure/arc_length.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace refit_curve_ {

Schema schema() {
  return {picks("curve", "Curve", "The curve or edge to describe anew.", Kind::Curve | Kind::Edge).atMost(1),
          choice("way", "Way", "What is wanted of the new curve.",
                 {{"within", "few spans within"},
                  {"spans", "degree and spans"},
                  {"smooth", "smooth within"},
                  {"joints", "spline through joints"},
                  {"insert", "insert a knot"},
                  {"remove", "remove knots"},
                  {"raise", "raise degree"},
                  {"reverse", "reverse"}}),
          countField("degree", "Degree", "Of the new curve.", "5")
              .within(2, 7)
              .unless("way", {"insert", "remove", "reverse"}),
          countField("spans", "Spans", "Equal ones, on every stretch between corners.", "4")
              .within(1, 500)
              .when("way", {"spans"}),
          length("within", "Within", "How far the new curve may be from the old one.", "0.01")
              .within(1e-6, 1000)
              .when("way", {"within", "smooth", "remove"}),
          ratioField("at", "At", "Where the knot goes, as a fraction of the length.", "0.5")
              .within(0, 1)
              .when("way", {"insert"}),
          toggle("corners", "Keep corners", "Corners stay sharp; otherwise they are rounded.", true)
              .when("way", {"within", "spans", "smooth"}),
          hideField("curve")};
}

Expected<nurbs::ChangedCurve> changed(const Inputs& in, const nurbs::Path& p, const Context& cx) {
  const std::string way = in.text("way");
  if (way == "joints") return nurbs::throughJoints(p, in.integer("degree"), cx);
  if (way == "raise") return nurbs::withDegree(p, in.integer("degree"), cx);
  if (way == "reverse") return nurbs::ChangedCurve{nurbs::reversed(p)};
  if (way == "remove") return nurbs::withFewerKnots(p, {in.number("within")}, cx);
  if (way == "insert") {
    const nurbs::ArcLength length(p);
    return nurbs::withKnot(p, nurbs::exactParameterAt(p, length, in.number("at") * length.total()), cx);
  }
  nurbs::RefitOptions o;
  o.degree = in.integer("degree");
  o.keepCorners = in.on("corners");
  if (way == "spans")
    o.spans = in.integer("spans");
  else
    o.within = {in.number("within")};
  o.fair = way == "smooth";
  return nurbs::refitted(p, o, cx);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& old = *curveOf(in.picked("curve").front());
  auto made = changed(in, old, cx);
  if (!made) return fail(made.error().inField("curve"));
  Outcome out =
      curveOutcome(made->path, curveSummary(made->path) + " - moved " + format(millimetres(made->movedMm), 2));
  if (in.text("way") != "reverse" && in.text("way") != "insert" && in.text("way") != "raise")
    noteDeviation(out, made->movedMm, made->movedAt, cx.tolerances);
  hidePicked(in, "curve", out);
  return out;
}

} // namespace refit_curve_

Step refit_curve() { return Step{"refit_curve", 1, "Refit curve", Stage::Curves, refit_curve_::schema, refit_curve_::compute}.under("change"); }

} // namespace lumsk::steps
