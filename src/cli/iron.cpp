#include "cli/iron.h"

#include "exchange/project.h"
#include "recipe/iron_out.h"
#include "recipe/evaluator.h"
#include "steps/registry.h"

#include <fmt/format.h>
#include <iostream>
#include <nlohmann/json.hpp>

namespace lumsk::cli {

using nlohmann::json;

namespace {

constexpr size_t kTold = 20; ///< control points that are listed

Expected<void> tellWhy(const recipe::LedSkins& led, const IronArguments& a, const Context& cx) {
  LUMSK_TRY(shares, recipe::whyWrinkled(led, cx));
  json out = json::array();
  for (size_t k = 0; k < std::min(shares.size(), kTold); ++k) {
    const nurbs::WrinkleShare& s = shares[k];
    const recipe::LeadingCurve& c = led.curves[size_t(s.curve)];
    out.push_back({{"step", c.step}, {"part", c.part}, {"point", s.point}, {"share", s.share}, {"at_mm", {s.at.x(), s.at.y(), s.at.z()}}});
    if (!a.asJson)
      std::cout << fmt::format("{}{}{} point {}: {:.1f} %, at {:.2f} {:.2f} {:.2f}\n", c.step, c.part.empty() ? "" : "/", c.part, s.point, 100 * s.share, s.at.x(), s.at.y(), s.at.z());
  }
  if (a.asJson) std::cout << out.dump(2) << '\n';
  return {};
}

} // namespace

Expected<void> iron(const IronArguments& a) {
  if (a.out.empty() && !a.why) return fail(problem("LM-F037", "it is not said where the project goes").tryThis("give --out FILE"));
  LUMSK_TRY(project, exchange::readProject(a.file, exchange::Kept::Leave));
  std::vector<recipe::PickRef> picks;
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project.recipe), {});
  for (const std::string& id : a.steps) {
    const recipe::StepResult* r = model->result(id);
    if (!r || !r->outcome) return fail(problem("LM-F037", "there is no step " + id + " that has a result"));
    recipe::PickRef p;
    p.step = id;
    p.kind = recipe::curvesIn(*r->outcome) > 0 ? recipe::Kind::Curve : recipe::Kind::Skin;
    picks.push_back(p);
  }
  Context cx;
  cx.tolerances = project.recipe.tolerances;
  if (a.why) {
    LUMSK_TRY(led, recipe::skinsLedBy(picks, *model, steps::registry()));
    return tellWhy(led, a, cx);
  }
  LUMSK_TRY(made, recipe::ironedOut(picks, {a.mostMm}, *model, steps::registry(), cx));
  project.recipe = made.recipe;
  if (const auto done = exchange::writeProject(a.out, project); !done) return fail(done.error());
  if (a.asJson)
    std::cout << json{{"before", made.before}, {"after", made.after}, {"points", made.points}, {"most_mm", made.mostMm}, {"shaped", made.shaped}, {"skins", made.skins}}.dump(2) << '\n';
  else
    std::cout << fmt::format("wrinkle index {:.4g} instead of {:.4g}: {} control points moved by at most {:.4f} mm\n", made.after, made.before, made.points, made.mostMm);
  return {};
}

} // namespace lumsk::cli
