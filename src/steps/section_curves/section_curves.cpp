#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/least_twist.h"
#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace section_curves_ {

constexpr int kMostPlanes = 500;

Schema schema() {
  return {onSkins("skins", "Skins", "Skins, solids or single faces to cut."),
          picks("by", "By", "Planes, and skins, solids or faces that meet them.",
                Kind::Plane | Kind::Skin | Kind::Solid | Kind::Face)
              .optional(),
          choice("stack", "Stack", "More planes: parallel to the first picked one, or square to a curve.",
                 {{"none", "none"}, {"parallel", "parallel"}, {"along", "along a curve"}}),
          countField("count", "Planes", "How many in the stack, the first included.", "5")
              .within(1, kMostPlanes)
              .unless("stack", {"none"}),
          length("spacing", "Spacing", "From plane to plane, along the normal.", "10")
              .when("stack", {"parallel"})
              .withHandle(Handle::Distance),
          picks("along", "Along", "The curve that the planes stand square on, spread evenly over its length.",
                Kind::Curve | Kind::Edge)
              .atMost(1)
              .when("stack", {"along"})};
}

Expected<std::vector<Frame>> planesOf(const Inputs& in) {
  std::vector<Frame> out;
  for (const Picked& p : in.picked("by"))
    if (const auto* plane = std::get_if<PlaneObject>(&p.object)) out.push_back(plane->frame);
  const std::string stack = in.text("stack");
  if (stack == "along") {
    const nurbs::LeastTwist frames(*curveOf(in.picked("along").front()));
    const int n = in.integer("count");
    for (int i = 0; i < n; ++i) out.push_back(frames.at(n == 1 ? 0.5 : double(i) / (n - 1)));
  } else if (stack == "parallel") {
    if (out.empty())
      return fail(problem("LM-P031", "a stack of planes needs a first plane").inField("by").tryThis("pick a plane"));
    const Frame first = out.front();
    for (int i = 1; i < in.integer("count"); ++i) {
      out.push_back(first);
      out.back().origin += i * in.number("spacing") * first.normal();
    }
  }
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(skins, facesOf(in, "skins", cx));
  LUMSK_TRY(planes, planesOf(in));
  brep::FoundCurves found;
  int missed = 0;
  const auto take = [&](brep::FoundCurves made) {
    missed += made.curves.empty() && made.touches.empty();
    addFound(std::move(made), found);
  };
  for (size_t i = 0; i < planes.size(); ++i) {
    cx.report(double(i) / double(planes.size()), "cutting");
    for (const auto& s : skins) {
      LUMSK_TRY(made, s.cutBy(planes[i], cx));
      take(std::move(made));
    }
  }
  LUMSK_TRY(others, facesOf(in, "by", cx));
  for (const auto& s : skins)
    for (const auto& o : others) {
      LUMSK_TRY(made, s.meeting(o, cx));
      take(std::move(made));
    }
  if (planes.empty() && others.empty())
    return fail(problem("LM-P031", "say what cuts the skins").inField("by").tryThis("pick a plane or another skin"));
  const size_t cuts = (planes.size() + others.size()) * skins.size();
  LUMSK_TRY(out, foundOutcome(std::move(found), "by", "nothing here meets the skins", cx));
  if (missed > 0)
    out.notes.push_back(
        problem("LM-P106", "some cuts meet nothing").measure(count(missed)).tryThis("take fewer planes, or move them"));
  if (cuts > 1) out.summary += " of " + std::to_string(cuts) + " cuts";
  if (in.text("stack") == "parallel")
    out.marks.add(HandlePlace{"spacing", planes.front().origin, planes.front().normal(), 1.0});
  return out;
}

} // namespace section_curves_

Step section_curves() { return Step{"section_curves", 1, "Section curves", Stage::Curves, section_curves_::schema, section_curves_::compute}.under("from others"); }

} // namespace lumsk::steps
