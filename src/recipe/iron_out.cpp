#include "recipe/iron_out.h"

#include "nurbs/measure/wrinkles.h"
#include "nurbs/reshape/shape_points.h"
#include "recipe/evaluator.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

namespace iron_ {

constexpr int kRounds = 3, kMostPoints = 400;
constexpr double kBetter = 0.98;     ///< of the wrinkle index, that another round must at least come to
constexpr double kStored = 1e-8;     ///< mm: moves are rounded to this; coarser, and third derivatives at mirror planes would not be kept
constexpr double kCounted = 1e-4;    ///< mm: control points that move less are not counted

using CurveName = std::pair<std::string, std::string>; ///< step and part

/// All curves that a pick means, by what a pick of each alone stores.
std::vector<CurveName> curvesMeant(const std::string& step, const std::string& part, const Model& model) {
  const StepResult* r = model.result(step);
  if (!part.empty() || !r || !r->outcome || curvesIn(*r->outcome) < 2) return {{step, part}};
  std::vector<CurveName> out;
  for (const Output& o : r->outcome->outputs)
    if (std::holds_alternative<CurvePtr>(o.object))
      if (CurveName name{step, pickPart(*r->outcome, o)}; std::find(out.begin(), out.end(), name) == out.end()) out.push_back(std::move(name));
  return out;
}

/// Whether a pick means curves; those written by hand may leave out its kind.
bool meansCurve(const json& pick, const Model& model) {
  const std::string kind = pick.value("kind", "");
  const StepResult* r = kind.empty() ? model.result(pick.value("step", "")) : nullptr;
  return kind == "curve" || (r && r->outcome && recipe::curvesIn(*r->outcome) > 0);
}

std::vector<CurveName> curvesPickedBy(const StepEntry& entry, const Model& model) {
  std::vector<CurveName> out;
  forEachReference(*entry.inputs, [&](const json& pick) {
    if (!meansCurve(pick, model)) return;
    for (CurveName& name : curvesMeant(pick.value("step", ""), pick.value("part", ""), model))
      if (std::find(out.begin(), out.end(), name) == out.end()) out.push_back(std::move(name));
  });
  return out;
}

std::vector<nurbs::Surface> skinsOf(const StepResult* r) {
  std::vector<nurbs::Surface> out;
  if (!r || r->status != Status::Ok) return out;
  for (const Output& o : r->outcome->outputs)
    if (const auto* body = std::get_if<brep::BodyPtr>(&o.object); body && o.continues.empty())
      for (const auto& [name, face] : (*body)->natural) out.push_back(*face.surface);
  return out;
}

/// Picks of a curve in a value are led to another one; a pick that means all curves of its step becomes one of each.
void reroute(json& value, const CurveName& from, const std::string& to, const Model& model) {
  if (value.is_array()) {
    json list = json::array(), all = value; // ids must be new among all of them
    for (json& item : value) {
      const bool curve = item.is_object() && item.value("step", "") == from.first && meansCurve(item, model);
      const auto meant = curve ? curvesMeant(from.first, item.value("part", ""), model) : std::vector<CurveName>{};
      if (std::find(meant.begin(), meant.end(), from) == meant.end()) {
        reroute(item, from, to, model);
        list.push_back(std::move(item));
        continue;
      }
      const auto besides = [&](const CurveName& one) { // picked by itself, too
        return std::any_of(all.begin(), all.end(), [&](const json& other) {
          return other != item && other.is_object() && other.value("step", "") == one.first && other.value("part", "") == one.second && !one.second.empty();
        });
      };
      for (const CurveName& one : meant) {
        if (meant.size() > 1 && besides(one)) continue;
        json pick = item;
        if (meant.size() > 1) pick["part"] = one.second;
        if (one == from) pick["step"] = to, pick.erase("part");
        if (&one != &meant.front()) pick["id"] = freeItemId(all, "p"), all.push_back(pick);
        list.push_back(std::move(pick));
      }
    }
    value = std::move(list);
  } else if (value.is_object()) {
    for (json& child : value) reroute(child, from, to, model);
  }
}

/// The steps that hold moves, put in for curves that have none yet.
struct Prepared {
  const Step* kind;
  Recipe recipe;
  std::vector<std::string> shapes; ///< of every curve; empty: it is held
};

/// The kind that holds them.
const Step* movingPoints(const Registry& registry) {
  for (const Step& s : registry.all())
    if (s.movesPoints) return &s;
  return nullptr;
}

Prepared prepared(const LedSkins& led, const Model& model, const Registry& registry) {
  Prepared out{movingPoints(registry), *model.recipe, {}};
  const Step* kind = out.kind;
  int place = out.recipe.indexOf(led.steps.front());
  for (const LeadingCurve& c : led.curves) {
    out.shapes.emplace_back();
    if (c.held) continue;
    if (const StepEntry* own = out.recipe.find(c.step); own && own->kind == kind->kind && kind->movesPoints->alone(*own->inputs)) {
      out.shapes.back() = c.step;
      continue;
    }
    StepEntry e;
    e.id = out.recipe.newId();
    e.kind = kind->kind;
    e.version = kind->version;
    const StepEntry* of = out.recipe.find(c.step);
    e.label = freeLabel(out.recipe, (of ? of->label : kind->label) + ", ironed");
    e.group = "Ironed out";
    json pick{{"id", "p1"}, {"step", c.step}, {"kind", "curve"}};
    if (!c.part.empty()) pick["part"] = c.part;
    e.inputs = std::make_shared<const json>(json{{kind->movesPoints->curve, json::array({pick})}});
    out.shapes.back() = e.id;
    out.recipe.steps.insert(out.recipe.steps.begin() + place++, std::make_shared<const StepEntry>(e));
    for (size_t i = size_t(place); i < out.recipe.steps.size(); ++i) {
      json inputs = *out.recipe.steps[i]->inputs;
      reroute(inputs, {c.step, c.part}, e.id, model);
      if (inputs == *out.recipe.steps[i]->inputs) continue;
      StepEntry next = *out.recipe.steps[i];
      next.inputs = std::make_shared<const json>(std::move(inputs));
      out.recipe.steps[i] = std::make_shared<const StepEntry>(std::move(next));
    }
  }
  return out;
}

/// The same with moves added to what the rows hold already.
Recipe withMoves(const Prepared& p, const std::vector<std::vector<Vec3>>& moves, const Names& names) {
  Recipe r = p.recipe;
  for (size_t i = 0; i < moves.size(); ++i) {
    if (p.shapes[i].empty()) continue;
    for (size_t k = 0; k < moves[i].size(); ++k)
      if (moves[i][k].norm() >= kStored) r = withMove(r, {p.shapes[i], p.kind->movesPoints->moves, p.kind->movesPoints->row + std::to_string(k)}, moves[i][k], 1 / kStored, names);
  }
  return r;
}

/// Only what the skins need.
Recipe needed(const Recipe& r, const std::vector<std::string>& skins, const Registry& registry) {
  std::set<std::string> wanted(skins.begin(), skins.end());
  Recipe out = r;
  out.here.clear();
  out.steps.clear();
  for (size_t i = r.steps.size(); i-- > 0;) {
    if (!wanted.count(r.steps[i]->id)) continue;
    for (std::string& id : needsOf(*r.steps[i], r, registry)) wanted.insert(std::move(id));
    out.steps.insert(out.steps.begin(), r.steps[i]);
  }
  return out;
}

/// Curves without an effect get no step.
Recipe withoutIdle(Recipe r, const Prepared& p, const LedSkins& led, const std::vector<std::vector<Vec3>>& moves, std::vector<std::string>& shaped) {
  for (size_t i = 0; i < moves.size(); ++i) {
    if (p.shapes[i].empty()) continue;
    const bool moved = std::any_of(moves[i].begin(), moves[i].end(), [](const Vec3& m) { return m.norm() >= kCounted; });
    if (moved) {
      shaped.push_back(p.shapes[i]);
      continue;
    }
    if (p.shapes[i] == led.curves[i].step) continue;
    r = r.without(p.shapes[i]);
    for (StepPtr& s : r.steps) {
      json inputs = *s->inputs;
      bool changed = false;
      const std::function<void(json&)> back = [&](json& v) {
        if (v.is_object() && v.value("step", "") == p.shapes[i]) {
          v["step"] = led.curves[i].step;
          if (!led.curves[i].part.empty()) v["part"] = led.curves[i].part;
          changed = true;
        } else if (v.is_structured()) {
          for (json& child : v) back(child);
        }
      };
      back(inputs);
      if (!changed) continue;
      StepEntry next = *s;
      next.inputs = std::make_shared<const json>(std::move(inputs));
      s = std::make_shared<const StepEntry>(std::move(next));
    }
  }
  return r;
}

nurbs::IronOptions optionsOf(LengthTolerance most) {
  nurbs::IronOptions o;
  o.most = most;
  for (const auto& [name, plane] : worldPlanes()) o.planes.push_back(plane);
  return o;
}

std::vector<nurbs::IronCurve> ironCurves(const LedSkins& led) {
  std::vector<nurbs::IronCurve> out;
  for (const LeadingCurve& c : led.curves) out.push_back({*c.path, c.held, {}});
  return out;
}

} // namespace iron_

using namespace iron_;

Expected<LedSkins> skinsLedBy(const std::vector<PickRef>& picks, const Model& model, const Registry& registry) {
  LedSkins out;
  std::vector<CurveName> chosen;
  const auto choose = [&](const std::vector<CurveName>& names) {
    for (const CurveName& n : names)
      if (std::find(chosen.begin(), chosen.end(), n) == chosen.end()) chosen.push_back(n);
  };
  for (const PickRef& p : picks) {
    if (p.kind == Kind::Curve) choose(curvesMeant(p.step, p.part, model));
    else if (const StepEntry* entry = model.recipe->find(p.step); entry && p.kind != Kind::Plane && p.kind != Kind::Point) choose(curvesPickedBy(*entry, model));
  }
  if (chosen.empty())
    return fail(problem("LM-R045", "there is no curve to iron out").tryThis("pick curves, or a skin that is made from curves"));
  std::vector<CurveName> all = chosen;
  for (const StepPtr& s : model.recipe->steps) {
    const StepResult* r = model.result(s->id);
    if (!s->on || !registry.find(s->kind) || !r) continue;
    const auto names = curvesPickedBy(*s, model);
    if (std::none_of(names.begin(), names.end(), [&](const CurveName& n) { return std::find(chosen.begin(), chosen.end(), n) != chosen.end(); })) continue;
    const auto skins = skinsOf(r);
    if (skins.empty()) continue;
    out.steps.push_back(s->id);
    out.skins.insert(out.skins.end(), skins.begin(), skins.end());
    for (const CurveName& n : names)
      if (std::find(all.begin(), all.end(), n) == all.end()) all.push_back(n);
  }
  if (out.skins.empty())
    return fail(problem("LM-R046", "no skin is made from these curves").tryThis("make a skin from them first: a loft, a network, a boundary"));
  // Edges of other skins that they are made from stay where they are.
  for (const std::string& id : out.steps)
    forEachReference(*model.recipe->find(id)->inputs, [&](const json& pick) {
      if (pick.value("kind", "") != "edge") return;
      const auto found = follow(pick, Kind::Edge, model);
      if (!found) return;
      if (const auto* path = std::get_if<CurvePtr>(&found->object)) out.curves.push_back({found->step, found->part, *path, true});
    });
  for (const CurveName& n : all) {
    json pick{{"step", n.first}, {"kind", "curve"}};
    if (!n.second.empty()) pick["part"] = n.second;
    const auto found = follow(pick, Kind::Curve, model);
    if (!found) continue;
    if (const auto* path = std::get_if<CurvePtr>(&found->object))
      out.curves.push_back({n.first, n.second, *path, std::find(chosen.begin(), chosen.end(), n) == chosen.end()});
  }
  return out;
}

Expected<IronedOut> ironedOut(const std::vector<PickRef>& picks, LengthTolerance most, const Model& model, const Registry& registry, const Context& cx) {
  LUMSK_TRY(led, skinsLedBy(picks, model, registry));
  const Prepared p = prepared(led, model, registry);
  // Curves that are shaped already start from what they were shaped from: their moves count from there.
  std::vector<nurbs::IronCurve> curves = ironCurves(led);
  std::vector<std::vector<Vec3>> first(curves.size()), moves;
  std::vector<nurbs::Path> bases;
  for (size_t i = 0; i < curves.size(); ++i) {
    bases.push_back(curves[i].path);
    if (curves[i].held) continue;
    LUMSK_TRY(n, nurbs::shapePointCount(curves[i].path, cx));
    if (n > kMostPoints)
      return fail(problem("LM-R049", "a curve has too many control points to be ironed out")
                      .measure(count(n))
                      .want(count(kMostPoints))
                      .at(curves[i].path.start())
                      .tryThis("refit the curve to fewer spans, and iron it out then"));
  }
  const nurbs::IronOptions options = optionsOf(most);
  IronedOut out;
  out.skins = led.steps;
  out.before = out.after = nurbs::wrinkleIndex(led.skins);
  std::vector<nurbs::Surface> skins = led.skins;
  std::vector<std::vector<Vec3>> best;
  std::optional<Problem> refused;
  Evaluator evaluator(registry);
  ModelPtr now = std::make_shared<const Model>(model);
  for (const auto& [id, r] : model.results)
    if (r.outcome && r.status == Status::Ok) evaluator.remember(r.key, r.outcome);
  for (int round = 0; round < kRounds && !cx.stopped(); ++round) {
    cx.report((round + 0.2) / kRounds, "moving control points");
    LUMSK_TRY(made, nurbs::ironed(skins, curves, options, cx));
    if (!made.leads)
      return fail(problem("LM-R047", "none of the curves lies on a skin that is made from it").tryThis("pick sections, guides or edges of a skin: those that it passes through"));
    cx.report((round + 0.5) / kRounds, "making the skins anew");
    EvaluateOptions o;
    o.cancel = cx.cancel;
    o.previous = now;
    now = evaluator.evaluate(std::make_shared<const Recipe>(needed(withMoves(p, made.moves, model.namesBefore("")), led.steps, registry)), o);
    skins.clear();
    for (const std::string& id : led.steps) {
      const StepResult* r = now->result(id);
      const auto some = skinsOf(r);
      skins.insert(skins.end(), some.begin(), some.end());
      if (some.empty() && r && r->problem) refused = r->problem;
    }
    if (refused || cx.stopped()) break; // what was best so far stays
    const double index = nurbs::wrinkleIndex(skins);
    const bool better = index < out.after, enough = !(index < kBetter * out.after);
    if (better) {
      out.after = index;
      out.mostMm = made.mostMm;
      best = made.moves;
    }
    if (enough) break;
    for (size_t i = 0; i < curves.size(); ++i) {
      if (curves[i].held) continue;
      std::vector<nurbs::PointMove> by;
      for (size_t k = 0; k < made.moves[i].size(); ++k) by.push_back({int(k), made.moves[i][k]});
      LUMSK_TRY(shaped, nurbs::shaped(bases[i], by, {}, cx));
      curves[i].path = shaped.path;
      curves[i].moved = made.moves[i];
    }
  }
  if (cx.stopped()) return fail(cancelled());
  if (best.empty() && refused) {
    Problem told = problem("LM-R044", "with the moves that would calm it, the skin cannot be made: " + sentence(*refused)).tryThis("allow a smaller distance, or pick fewer of its curves");
    told.where = refused->where;
    return fail(std::move(told));
  }
  if (best.empty())
    return fail(problem("LM-R048", "the skins would wrinkle no less: nothing is moved")
                    .measure(millimetres(most.mm))
                    .tryThis("allow a larger distance, or pick the other curves of the skin, too"));
  for (const auto& of : best)
    out.points += int(std::count_if(of.begin(), of.end(), [](const Vec3& m) { return m.norm() >= kCounted; }));
  out.recipe = withoutIdle(withMoves(p, best, model.namesBefore("")), p, led, best, out.shaped);
  return out;
}

Expected<std::vector<nurbs::WrinkleShare>> whyWrinkled(const LedSkins& led, const Context& cx) {
  return nurbs::wrinkleShares(led.skins, ironCurves(led), optionsOf({0.2}), cx);
}

} // namespace lumsk::recipe
