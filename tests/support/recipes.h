#pragma once
#include "brep/skin.h"
#include "inspect/state.h"
#include "recipe/evaluator.h"
#include "steps/registry.h"
#include "support/registry.h"

#include <nlohmann/json.hpp>

namespace lumsk::test {

using nlohmann::json;

/// Builds recipes in few words and evaluates them.
struct Bench {
  recipe::Recipe recipe;
  std::unique_ptr<recipe::Evaluator> evaluator = std::make_unique<recipe::Evaluator>(steps::registry());
  recipe::ModelPtr model;

  /// Adds a step; returns its id ("s1", ...).
  std::string add(const std::string& kind, json inputs) {
    auto s = std::make_shared<recipe::StepEntry>();
    s->id = "s" + recipe.newId();
    s->kind = kind;
    s->version = steps::registry().find(kind)->version;
    s->label = kind + " " + s->id;
    s->inputs = std::make_shared<const json>(inputs.is_null() ? json::object() : std::move(inputs));
    recipe.steps.push_back(s);
    return s->id;
  }
  /// Puts a file into the recipe; the value for a file field.
  json file(const std::string& name, std::string bytes) {
    const std::string hash = recipe::hashOf(bytes);
    recipe.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
    return {{"hash", hash}, {"name", name}};
  }
  void set(const std::string& id, const std::string& key, const json& value) {
    recipe = recipe.withStep(recipe::withInput(*recipe.find(id), key, value));
  }
  const recipe::Model& run(bool lightOnly = false) {
    recipe::EvaluateOptions o;
    o.lightOnly = lightOnly;
    o.previous = model;
    model = evaluator->evaluate(std::make_shared<const recipe::Recipe>(recipe), o);
    return *model;
  }
  const recipe::StepResult& result(const std::string& id) { return *model->result(id); }
  std::string code(const std::string& id) { return result(id).problem ? result(id).problem->code : ""; }
  const nurbs::Path& curve(const std::string& id) {
    return *std::get<recipe::CurvePtr>(result(id).outcome->outputs[0].object);
  }
  brep::BodyPtr body(const std::string& id) { return std::get<brep::BodyPtr>(result(id).outcome->outputs[0].object); }
  Frame frame(const std::string& id) {
    return std::get<recipe::PlaneObject>(result(id).outcome->outputs[0].object).frame;
  }
};

inline json pick(const std::string& step, const std::string& kind = "", const std::string& part = "") {
  static int n = 0;
  json p{{"id", "p" + std::to_string(++n)}, {"step", step}};
  if (!kind.empty()) p["kind"] = kind;
  if (!part.empty()) p["part"] = part;
  return p;
}
inline json picks(std::initializer_list<json> list) { return json(std::vector<json>(list)); }
inline json pointList(const std::vector<std::array<double, 3>>& pts) {
  json out = json::array();
  for (const auto& p : pts) out.push_back({{"id", "q" + std::to_string(out.size() + 1)}, {"at", p}});
  return out;
}

/// Point, three rings, loft with a rounded bottom, wall: ids s1..s6.
/// Steps that draw through points: straight from one to the next, or a spline.
inline std::string polyline(Bench& b, const std::vector<std::array<double, 3>>& pts) { return b.add("line", {{"points", pointList(pts)}}); }
inline std::string spline(Bench& b, const std::vector<std::array<double, 3>>& pts) { return b.add("spline", {{"points", pointList(pts)}}); }
inline double volume(const brep::BodyPtr& body) { return brep::massOf(body->shape).volumeMm3; }

inline Bench tumbler() {
  Bench b;
  b.add("point", {});
  b.add("ring", {{"width", 52}, {"height", 14}});
  b.add("ring", {{"width", 66}, {"height", 45}});
  b.add("ring", {{"width", 76}, {"height", 110}});
  b.add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3"), pick("s4")})}, {"start", "perpendicular"}});
  b.add("thicken", {{"skin", picks({pick("s5")})}, {"thickness", "2"}});
  return b;
}

} // namespace lumsk::test

#define VERIFY_STEP(bench, id)                                                                                         \
  QVERIFY2((bench).result(id).status == ::lumsk::recipe::Status::Ok,                                                   \
           (bench).result(id).problem                                                                                  \
               ? qPrintable(QString::fromStdString((bench).result(id).problem->code + " " +                            \
                                                   ::lumsk::sentence(*(bench).result(id).problem)))                    \
               : "no result")
