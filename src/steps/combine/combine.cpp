#include "brep/combine.h"
#include "brep/skin.h"
#include "inspect/state.h"
#include "steps/bodies.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace combine_ {

constexpr double kLargestToleranceMm = 0.01;

Schema schema() {
  return {picks("bodies", "Target bodies", "Solids that change; others stay as they are.", Kind::Solid),
          picks("tools", "With", "Solids that are added to them, cut out of them, or of which what they have in common is kept.", Kind::Solid),
          choice("how", "How", "Added: all become one body. Cut: each target without the others. Common: of each target what lies in any of the others.",
                 {{"add", "add"}, {"cut", "cut"}, {"common", "common"}}),
          toggle("keep", "Keep the others", "The solids that the targets are combined with stay.", false)};
}

Vec3 middleOf(const brep::Body& b) {
  const auto corners = brep::boxCorners(b.shape);
  return 0.5 * (corners[0] + corners[7]);
}

/// The targets and what becomes of each.
using Made = std::vector<std::pair<const PickedParts*, std::vector<brep::BodyPtr>>>;

Expected<Made> combinedAll(const std::vector<PickedParts>& targets, std::vector<brep::BodyPtr> tools, brep::Combine how, const Context& cx) {
  Made out;
  if (how == brep::Combine::Add)
    for (size_t i = targets.size(); i-- > 1;) tools.insert(tools.begin(), targets[i].body);
  const size_t many = how == brep::Combine::Add ? 1 : targets.size();
  for (size_t i = 0; i < many; ++i) {
    cx.report(double(i) / double(many), "combining");
    auto made = brep::combined(targets[i].body, tools, how, cx);
    if (!made) {
      Problem p = made.error();
      if (many > 1) p.item = targets[i].item;
      return fail(p.inField("bodies"));
    }
    out.emplace_back(&targets[i], std::move(*made));
  }
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto targets = partsByBody(in.picked("bodies")), others = partsByBody(in.picked("tools"));
  const auto how = *brep::combineFrom(in.text("how"));
  std::vector<brep::BodyPtr> tools;
  for (const PickedParts& t : others) {
    if (std::any_of(targets.begin(), targets.end(), [&](const PickedParts& b) { return b.object == t.object; })) {
      Problem p = problem("LM-B014", "a body cannot be combined with itself");
      p.item = t.item;
      return fail(p.inField("tools").at(middleOf(*t.body)).tryThis("take it out of one of the two"));
    }
    tools.push_back(t.body);
  }
  double before = 0;
  for (const PickedParts& b : targets) before += inspect::stateOf(*b.body).volumeMm3;
  LUMSK_TRY(made, combinedAll(targets, tools, how, cx));
  Outcome out;
  double after = 0, worst = 0;
  Vec3 loose = Vec3::Zero();
  for (const auto& [target, bodies] : made) {
    putParts(out, *target, bodies);
    for (const auto& b : bodies) {
      const auto state = inspect::stateOf(*b);
      after += state.volumeMm3;
      if (state.largestToleranceMm > worst) worst = state.largestToleranceMm, loose = middleOf(*b);
    }
  }
  if (how == brep::Combine::Add)
    for (size_t i = 1; i < targets.size(); ++i) out.usedUp.push_back(targets[i].object);
  if (!in.on("keep"))
    for (const PickedParts& t : others) out.usedUp.push_back(t.object);
  if (worst > kLargestToleranceMm)
    out.notes.push_back(problem("LM-B107", "edges of the combined body are loose").measure(millimetres(worst)).want(millimetres(kLargestToleranceMm)).at(loose).tryThis("heal the bodies first"));
  const size_t n = out.outputs.size();
  out.summary = std::string(brep::combineName(how)) + " - " + std::to_string(n) + (n == 1 ? " body, " : " bodies, ") +
                format({std::abs(after - before), Dimension::Volume}) + (after < before ? " less" : " more");
  return out;
}

} // namespace combine_

Step combine() { return Step{"combine", 1, "Combine", Stage::Solid, combine_::schema, combine_::compute}; }

} // namespace lumsk::steps
