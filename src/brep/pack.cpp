#include "brep/pack.h"

#include "brep/convert.h"

#include <BRep_Tool.hxx>
#include <BinTools.hxx>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <sstream>

namespace lumsk::brep {

namespace {

Meets meetsOf(int stored) { return stored < 0 || stored > int(Meets::Flat) ? Meets::Free : Meets(stored); }

} // namespace

using nlohmann::json;

std::vector<std::uint8_t> shapeBytes(const TopoDS_Shape& s) {
  std::ostringstream out(std::ios::binary);
  BinTools::Write(s, out);
  const std::string bytes = out.str();
  return {bytes.begin(), bytes.end()};
}

TopoDS_Shape shapeFrom(const std::vector<std::uint8_t>& bytes) {
  std::istringstream in(std::string(bytes.begin(), bytes.end()), std::ios::binary);
  TopoDS_Shape s;
  BinTools::Read(s, in);
  return s;
}

json toJson(const Vec3& p) { return {p.x(), p.y(), p.z()}; }
Vec3 vecFrom(const json& j) { return {j.at(0).get<double>(), j.at(1).get<double>(), j.at(2).get<double>()}; }

json toJson(const Problem& p) {
  json n{{"code", p.code},   {"what", p.what}, {"remedy", p.remedyText},
         {"field", p.field}, {"item", p.item}, {"where", json::array()}};
  for (const Vec3& at : p.where) n["where"].push_back(toJson(at));
  for (const Remedy& r : p.remedies) n["remedies"].push_back({r.text, r.field, r.value, r.step});
  if (p.measured) n["measured"] = {p.measured->value, int(p.measured->dimension)};
  if (p.required) n["required"] = {p.required->value, int(p.required->dimension)};
  return n;
}

Problem problemFrom(const json& n) {
  const auto quantity = [&](const char* key) {
    return n.contains(key) ? std::optional<Quantity>({n[key].at(0).get<double>(), Dimension(n[key].at(1).get<int>())})
                           : std::nullopt;
  };
  Problem p = problem(n.at("code").get<std::string>(), n.at("what").get<std::string>());
  p.remedyText = n.at("remedy").get<std::string>();
  p.field = n.at("field").get<std::string>();
  p.item = n.value("item", "");
  for (const json& at : n.at("where")) p.where.push_back(vecFrom(at));
  for (const json& r : n.value("remedies", json::array()))
    p.offer({r.at(0).get<std::string>(), r.at(1).get<std::string>(), r.at(2).get<std::string>(),
             r.at(3).get<std::string>()});
  p.measured = quantity("measured");
  p.required = quantity("required");
  return p;
}

json toJson(const Body& b) {
  json out{{"shape", json::binary(shapeBytes(b.shape))},
           {"faces", b.faceNames},
           {"edges", b.edgeNames},
           {"vertices", b.vertexNames},
           {"natural", json::object()},
           {"asked", json::object()}};
  for (const auto& [name, f] : b.natural)
    out["natural"][name] = {{"reversed", f.reversed}, {"closedU", f.surface->closedU()}, {"sides", f.sides}, {"asked", f.asked}};
  for (const auto& [name, meets] : b.asked) out["asked"][name] = int(meets);
  return out;
}

BodyPtr bodyFrom(const json& j) {
  auto b = std::make_shared<Body>();
  b->shape = shapeFrom(j.at("shape").get_binary());
  b->faceNames = j.at("faces").get<std::vector<std::string>>();
  b->edgeNames = j.at("edges").get<std::vector<std::string>>();
  b->vertexNames = j.at("vertices").get<std::vector<std::string>>();
  if (b->shape.IsNull()) return nullptr;
  const auto all = faces(*b);
  if (all.size() != b->faceNames.size() || edges(*b).size() != b->edgeNames.size() ||
      vertices(*b).size() != b->vertexNames.size())
    return nullptr;
  for (size_t i = 0; i < all.size(); ++i) {
    const auto natural = j.at("natural").find(b->faceNames[i]);
    if (natural == j.at("natural").end()) continue;
    const auto surface = toSurface(BRep_Tool::Surface(all[i]), natural->at("closedU").get<bool>());
    if (!surface) return nullptr;
    b->natural[b->faceNames[i]] = {std::make_shared<const nurbs::Surface>(*surface),
                                   natural->at("reversed").get<bool>(),
                                   natural->at("sides").get<std::array<std::string, 4>>(),
                                   {}};
    const auto asked = natural->at("asked").get<std::array<int, 4>>();
    std::transform(asked.begin(), asked.end(), b->natural[b->faceNames[i]].asked.begin(), meetsOf);
  }
  for (const auto& [name, meets] : j.at("asked").items()) b->asked[name] = meetsOf(meets.get<int>());
  return b;
}

} // namespace lumsk::brep
