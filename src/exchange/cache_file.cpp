#include "exchange/cache_file.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "recipe/cache.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <sstream>

namespace lumsk::exchange {

using nlohmann::json;

namespace {

constexpr double kWorthSeconds = 0.005;
constexpr size_t kLargestBytes = size_t(64) << 20;

Problem damaged(const std::string& why) {
  return problem("LM-F005", "a kept result cannot be used (" + why + ")").tryThis("it is computed again");
}

json list(const Vec3& p) { return {p.x(), p.y(), p.z()}; }
Vec3 vec(const json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

json noteJson(const Problem& p) {
  json n{{"code", p.code}, {"what", p.what}, {"remedy", p.remedyText}, {"field", p.field}, {"item", p.item}, {"where", json::array()}};
  for (const Vec3& at : p.where) n["where"].push_back(list(at));
  for (const Remedy& r : p.remedies) n["remedies"].push_back({r.text, r.field, r.value, r.step});
  if (p.measured) n["measured"] = {p.measured->value, int(p.measured->dimension)};
  if (p.required) n["required"] = {p.required->value, int(p.required->dimension)};
  return n;
}

Problem noteFrom(const json& n) {
  const auto quantity = [&](const char* key) {
    return n.contains(key) ? std::optional<Quantity>({n[key].at(0).get<double>(), Dimension(n[key].at(1).get<int>())})
                           : std::nullopt;
  };
  Problem p = problem(n.at("code").get<std::string>(), n.at("what").get<std::string>());
  p.remedyText = n.at("remedy").get<std::string>();
  p.field = n.at("field").get<std::string>();
  p.item = n.value("item", "");
  for (const json& at : n.at("where")) p.where.push_back(vec(at));
  for (const json& r : n.value("remedies", json::array()))
    p.offer({r.at(0).get<std::string>(), r.at(1).get<std::string>(), r.at(2).get<std::string>(),
             r.at(3).get<std::string>()});
  p.measured = quantity("measured");
  p.required = quantity("required");
  return p;
}

json bodyJson(const brep::Body& b) {
  std::ostringstream shape;
  BRepTools::Write(b.shape, shape);
  json out{{"shape", shape.str()},      {"faces", b.faceNames},      {"edges", b.edgeNames},
           {"vertices", b.vertexNames}, {"natural", json::object()}, {"asked", json::object()}};
  for (const auto& [name, f] : b.natural)
    out["natural"][name] = {{"reversed", f.reversed}, {"closedU", f.surface->closedU()}, {"sides", f.sides}};
  for (const auto& [name, meets] : b.asked) out["asked"][name] = int(meets);
  return out;
}

brep::BodyPtr bodyFrom(const json& j) {
  auto b = std::make_shared<brep::Body>();
  std::istringstream shape(j.at("shape").get<std::string>());
  BRepTools::Read(b->shape, shape, BRep_Builder());
  b->faceNames = j.at("faces").get<std::vector<std::string>>();
  b->edgeNames = j.at("edges").get<std::vector<std::string>>();
  b->vertexNames = j.at("vertices").get<std::vector<std::string>>();
  const auto all = brep::faces(*b);
  if (b->shape.IsNull() || all.size() != b->faceNames.size() || brep::edges(*b).size() != b->edgeNames.size() ||
      brep::vertices(*b).size() != b->vertexNames.size())
    return nullptr;
  for (size_t i = 0; i < all.size(); ++i) {
    const auto natural = j.at("natural").find(b->faceNames[i]);
    if (natural == j.at("natural").end()) continue;
    const auto surface = brep::toSurface(BRep_Tool::Surface(all[i]), natural->at("closedU").get<bool>());
    if (!surface) return nullptr;
    b->natural[b->faceNames[i]] = {std::make_shared<const nurbs::Surface>(*surface),
                                   natural->at("reversed").get<bool>(),
                                   natural->at("sides").get<std::array<std::string, 4>>()};
  }
  for (const auto& [name, meets] : j.at("asked").items()) b->asked[name] = brep::Meets(meets.get<int>());
  return b;
}

} // namespace

Outcomes worthKeeping(const recipe::Model& model) {
  std::vector<const recipe::StepResult*> good;
  for (const auto& [id, r] : model.results) {
    if (r.status != recipe::Status::Ok || r.seconds < kWorthSeconds || r.outcome->outputs.empty()) continue;
    const auto& outputs = r.outcome->outputs;
    if (std::all_of(outputs.begin(), outputs.end(),
                    [](const recipe::Output& o) { return std::holds_alternative<brep::BodyPtr>(o.object); }))
      good.push_back(&r);
  }
  std::sort(good.begin(), good.end(), [](auto* a, auto* b) { return a->seconds > b->seconds; });
  Outcomes out;
  size_t bytes = 0;
  for (const auto* r : good)
    if ((bytes += recipe::sizeOf(*r->outcome)) <= kLargestBytes) out[r->key] = r->outcome;
  return out;
}

Expected<std::string> packOutcome(const recipe::Outcome& o) {
  return brep::guarded("keeping a result", [&]() -> Expected<std::string> {
    json j{{"outputs", json::array()}, {"notes", json::array()},   {"usedUp", o.usedUp},
           {"flags", json::array()},   {"handles", json::array()}, {"summary", o.summary}};
    for (const auto& out : o.outputs)
      j["outputs"].push_back(
          {{"name", out.name}, {"continues", out.continues}, {"body", bodyJson(*std::get<brep::BodyPtr>(out.object))}});
    for (const auto& n : o.notes) j["notes"].push_back(noteJson(n));
    for (const auto& f : o.flags)
      j["flags"].push_back({{"field", f.field},
                            {"item", f.item},
                            {"at", list(f.at)},
                            {"direction", list(f.direction)},
                            {"startMovable", f.startMovable},
                            {"mark", f.mark},
                            {"group", f.group}});
    for (const auto& h : o.handles)
      j["handles"].push_back(
          {{"field", h.field}, {"at", list(h.at)}, {"direction", list(h.direction)}, {"mmPerUnit", h.mmPerUnit}});
    return j.dump();
  });
}

Expected<recipe::Outcome> unpackOutcome(const std::string& text) {
  return brep::guarded("using a kept result", [&]() -> Expected<recipe::Outcome> {
    const json j = json::parse(text, nullptr, false);
    if (!j.is_object()) return fail(damaged("it is cut off"));
    recipe::Outcome o;
    for (const auto& out : j.at("outputs")) {
      auto body = bodyFrom(out.at("body"));
      if (!body) return fail(damaged("its shape does not fit its names"));
      o.outputs.push_back({out.at("name").get<std::string>(), std::move(body), out.at("continues").get<std::string>()});
    }
    for (const auto& n : j.at("notes")) o.notes.push_back(noteFrom(n));
    o.usedUp = j.at("usedUp").get<std::vector<std::string>>();
    for (const auto& f : j.at("flags"))
      o.flags.push_back({f.at("field").get<std::string>(), f.at("item").get<std::string>(), vec(f.at("at")),
                         vec(f.at("direction")), f.at("startMovable").get<bool>(), f.at("mark").get<std::string>(),
                         f.at("group").get<int>()});
    for (const auto& h : j.at("handles"))
      o.handles.push_back(
          {h.at("field").get<std::string>(), vec(h.at("at")), vec(h.at("direction")), h.at("mmPerUnit").get<double>()});
    o.summary = j.at("summary").get<std::string>();
    return o;
  });
}

} // namespace lumsk::exchange
