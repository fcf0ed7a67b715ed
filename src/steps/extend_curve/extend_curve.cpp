#include "nurbs/curves/curve_ends.h"

#include "nurbs/measure/arc_length.h"
#include "recipe/portion.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace extend_curve_ {

constexpr double kFarthestLengths = 4; ///< up to something: at most so many lengths of the curve

Schema schema() {
  return {
      picks("curve", "Curve", "The open curve to make longer.", Kind::Curve | Kind::Edge).atMost(1),
      choice("end", "End", "Which end is made longer.", {{"end", "last"}, {"start", "first"}, {"both", "both"}}),
      choice("how", "How", "As its last piece goes on, straight, or round the circle of its curvature.",
             {{"natural", "natural"}, {"straight", "straight"}, {"curvature", "curvature"}}),
      choice("by", "By", "By a length, or up to something.", {{"length", "length"}, {"upTo", "up to"}}),
      length("length", "Length", "How much longer, along the curve.", "10")
          .within(0, 1e5)
          .when("by", {"length"})
          .withHandle(Handle::Distance),
      picks("to", "Up to", "A plane or a curve that the extension is to meet.", Kind::Plane | Kind::Curve | Kind::Edge)
          .atMost(1)
          .when("by", {"upTo"}),
      hideField("curve")};
}

/// The length after which an extension first meets an object.
Expected<double> lengthUpTo(const nurbs::Path& p, bool atEnd, nurbs::Extension how, const Object& object,
                            const Context& cx) {
  const nurbs::ArcLength own(p);
  std::optional<Problem> last;
  double reach = 0.25 * own.total();
  for (; reach <= kFarthestLengths * own.total(); reach *= 1.5) {
    auto longer = nurbs::extended(p, atEnd, how, reach, cx);
    if (!longer) {
      last = longer.error();
      break;
    }
    const nurbs::ArcLength length(*longer);
    double best = 1e300;
    for (double t : meetingPlaces(*longer, object, cx.tolerances)) {
      const double at = length.lengthAt(t), beyond = (atEnd ? at : length.total() - at) - own.total();
      if (beyond > cx.tolerances.point.mm) best = std::min(best, beyond);
    }
    if (best < 1e300) return best;
  }
  Problem miss = problem("LM-P049", "the extension does not meet it")
                     .measure(millimetres(reach))
                     .at(atEnd ? p.end() : p.start())
                     .tryThis("extend another way, or the other end");
  if (last) miss.where.insert(miss.where.end(), last->where.begin(), last->where.end());
  return fail(miss.inField("to"));
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  nurbs::Path path = *curveOf(in.picked("curve").front());
  const std::string how = in.text("how"), end = in.text("end");
  const nurbs::Extension kind = how == "natural"    ? nurbs::Extension::Natural
                                : how == "straight" ? nurbs::Extension::Straight
                                                    : nurbs::Extension::Curvature;
  Outcome out;
  for (bool atEnd : {true, false}) {
    if (end == (atEnd ? "start" : "end")) continue;
    double by = 0;
    if (path.closed())
      return fail(
          problem("LM-P045", "a closed curve has no end").at(path.start()).inField("curve").tryThis("split it first"));
    if (in.text("by") == "length") {
      by = in.number("length");
      if (const auto e = nurbs::endOf(path, atEnd)) out.marks.add(HandlePlace{"length", e->at, e->tangent, 1.0});
    } else {
      LUMSK_TRY(l, lengthUpTo(path, atEnd, kind, in.picked("to").front().object, cx));
      by = l;
    }
    auto made = nurbs::extended(path, atEnd, kind, by, cx);
    if (!made) return fail(made.error().inField(in.has("length") ? "length" : "curve"));
    path = std::move(*made);
    out.summary += (out.summary.empty() ? "" : ", ") + std::string(how) + " by " + format(millimetres(by), 4);
  }
  Outcome made = curveOutcome(path, out.summary);
  made.marks = std::move(out.marks);
  noteSelfCrossing(made, path, cx.tolerances);
  hidePicked(in, "curve", made);
  return made;
}

} // namespace extend_curve_

Step extend_curve() { return Step{"extend_curve", 1, "Extend curve", Stage::Curves, extend_curve_::schema, extend_curve_::compute}.under("change"); }

} // namespace lumsk::steps
