#include "recipe/needs.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

void collectNames(const json& values, const Schema& schema, std::vector<std::string>& out) {
  const auto add = [&](const json& v) {
    if (!v.is_string()) return;
    for (std::string& n : namesIn(v.get<std::string>())) out.push_back(std::move(n));
  };
  for (const Field& f : schema) {
    const auto v = values.find(f.key);
    if (v == values.end()) continue;
    if (f.kind == FieldKind::Quantity) add(*v);
    if (f.kind == FieldKind::Drawing && v->is_object())
      for (const json& relation : v->value("relations", json::array()))
        if (relation.is_object() && relation.contains("value")) add(relation["value"]);
    if (!v->is_array()) continue;
    for (const json& item : *v) {
      if (!item.is_object()) continue;
      if (f.kind == FieldKind::Picks) collectNames(item, f.each, out);
      if (f.kind == FieldKind::Table) collectNames(item, f.columns, out);
      if (f.kind == FieldKind::Graph)
        for (const char* key : {"at", "value"})
          if (item.contains(key)) add(item[key]);
      if (f.kind == FieldKind::Points && item.contains("at"))
        for (const json& c : item["at"]) add(c);
    }
  }
}

} // namespace

std::vector<std::string> namesUsedBy(const StepEntry& entry, const Registry& registry) {
  std::vector<std::string> out;
  collectNames(*entry.inputs, registry.schemaOf(entry.kind), out);
  return out;
}

Uses usesOf(const StepEntry& entry, const Registry& registry) {
  Uses out;
  const Schema& schema = registry.schemaOf(entry.kind);
  out.steps = referencesOf(entry);
  out.names = namesUsedBy(entry, registry);
  out.measures = measuredNames(*entry.inputs, schema);
  for (const Field& f : schema) {
    if (f.kind != FieldKind::File) continue;
    const auto file = entry.inputs->find(f.key);
    if (file == entry.inputs->end() || !file->is_object()) continue;
    if (const auto hash = file->find("hash"); hash != file->end() && hash->is_string()) // else it is refused later
      out.files.push_back(hash->get<std::string>());
  }
  return out;
}

std::vector<std::string> needsOf(const StepEntry& entry, const Recipe& recipe, const Registry& registry) {
  std::vector<std::string> out = referencesOf(entry);
  const std::vector<std::string> used = namesUsedBy(entry, registry);
  if (used.empty()) return out;
  for (const StepPtr& s : recipe.steps) {
    if (s->id == entry.id) break;
    for (const std::string& name : measuredNames(*s->inputs, registry.schemaOf(s->kind)))
      if (std::find(used.begin(), used.end(), name) != used.end() &&
          std::find(out.begin(), out.end(), s->id) == out.end())
        out.push_back(s->id);
  }
  return out;
}

} // namespace lumsk::recipe
