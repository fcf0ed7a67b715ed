#include "recipe/rearrange.h"

#include "recipe/edit.h"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

const char* kClip = "lumsk-steps";

bool needs(const Recipe& r, const StepEntry& s, const std::string& other, const Registry& registry) {
  const auto all = needsOf(s, r, registry);
  return std::find(all.begin(), all.end(), other) != all.end();
}

/// Ids in a step's references put in the place of others; `gone` says which picks are to be dropped.
json renamed(const json& j, const std::map<std::string, std::string>& ids,
             const std::function<bool(const std::string& id)>& gone, int& dropped) {
  if (j.is_array()) {
    json out = json::array();
    for (const json& child : j) {
      if (child.is_object() && child.contains("step") && child["step"].is_string() &&
          gone(child["step"].get<std::string>())) {
        ++dropped;
        continue;
      }
      out.push_back(renamed(child, ids, gone, dropped));
    }
    return out;
  }
  if (!j.is_object()) return j;
  json out = json::object();
  for (const auto& [key, value] : j.items()) {
    const bool reference = key == "step" && value.is_string() && ids.count(value.get<std::string>());
    out[key] = reference ? json(ids.at(value.get<std::string>())) : renamed(value, ids, gone, dropped);
  }
  // Parts of bodies are named by the steps they came from.
  for (const char* key : {"part"})
    if (out.contains(key) && out[key].is_string()) {
      std::string part = out[key].get<std::string>(), next;
      for (size_t i = 0; i < part.size();) {
        size_t end = i;
        while (end < part.size() && std::isalnum(static_cast<unsigned char>(part[end]))) ++end;
        const auto it = ids.find(part.substr(i, end - i));
        next += it != ids.end() && end < part.size() && part[end] == '.' ? it->second : part.substr(i, end - i);
        if (end < part.size()) next += part[end++];
        i = end;
      }
      out[key] = next;
    }
  return out;
}

/// Adds steps one after another behind a place; returns their new ids.
std::vector<std::string> addCopies(Recipe& r, std::vector<StepPtr> copies, int place, const Registry& registry,
                                   const std::function<bool(const std::string&)>& gone, int& dropped) {
  std::map<std::string, std::string> ids;
  for (const StepPtr& s : copies) ids[s->id] = "s" + r.newId();
  std::vector<std::string> out;
  for (const StepPtr& s : copies) {
    auto copy = std::make_shared<StepEntry>(*s);
    copy->id = ids[s->id];
    copy->label = freeLabel(r, s->label);
    json inputs = renamed(*s->inputs, ids, gone, dropped);
    freeMeasurementName(inputs, r, registry.schemaOf(s->kind), registry);
    copy->inputs = std::make_shared<const json>(std::move(inputs));
    out.push_back(copy->id);
    r.steps.insert(r.steps.begin() + place++, std::move(copy));
  }
  return out;
}

/// Tells steps of one project from those of another that happen to have the same ids.
std::string printOf(const StepEntry& s) {
  return s.id + " " + hashOf(s.kind + s.inputs->dump(-1, ' ', false, json::error_handler_t::replace));
}

/// In the recipe's order.
std::vector<StepPtr> chosen(const Recipe& r, const std::vector<std::string>& ids) {
  std::vector<StepPtr> out;
  for (const StepPtr& s : r.steps)
    if (std::find(ids.begin(), ids.end(), s->id) != ids.end()) out.push_back(s);
  return out;
}

Recipe changed(const Recipe& r, const std::vector<std::string>& ids, const std::function<void(StepEntry&)>& change) {
  Recipe out = r;
  for (StepPtr& s : out.steps) {
    if (std::find(ids.begin(), ids.end(), s->id) == ids.end()) continue;
    auto next = std::make_shared<StepEntry>(*s);
    change(*next);
    s = std::move(next);
  }
  return out;
}

} // namespace

std::pair<int, int> placesFor(const Recipe& r, const std::string& id, const Registry& registry) {
  const int at = r.indexOf(id);
  if (at < 0) return {-1, -1};
  int first = at, last = at;
  while (first > 0 && !needs(r, *r.steps[size_t(at)], r.steps[size_t(first - 1)]->id, registry)) --first;
  while (last + 1 < int(r.steps.size()) && !needs(r, *r.steps[size_t(last + 1)], id, registry)) ++last;
  return {first, last};
}

Expected<Recipe> movedTo(const Recipe& r, const std::string& id, int place, const Registry& registry) {
  const int at = r.indexOf(id);
  if (at < 0) return fail(problem("LM-R040", "there is no such step").tryThis("choose another one"));
  place = std::clamp(place, 0, int(r.steps.size()) - 1);
  const auto [first, last] = placesFor(r, id, registry);
  const std::string& label = r.steps[size_t(at)]->label;
  if (place < first)
    return fail(
        problem("LM-R040", "'" + label + "' uses '" + r.steps[size_t(first - 1)]->label + "' and cannot come before it")
            .tryThis("move that step up first"));
  if (place > last)
    return fail(problem("LM-R040",
                        "'" + r.steps[size_t(last + 1)]->label + "' uses '" + label + "', which cannot come after it")
                    .tryThis("move that step down first"));
  Recipe out = r;
  const StepPtr moving = out.steps[size_t(at)];
  out.steps.erase(out.steps.begin() + at);
  out.steps.insert(out.steps.begin() + place, moving);
  return out;
}

Recipe duplicated(const Recipe& r, const std::vector<std::string>& ids, const Registry& registry) {
  Recipe out = r;
  const auto steps = chosen(r, ids);
  if (steps.empty()) return out;
  int dropped = 0;
  const int place = r.indexOf(steps.back()->id) + 1;
  const auto made = addCopies(
      out, steps, place, registry, [](const std::string&) { return false; }, dropped);
  if (out.here == steps.back()->id) out.here = made.back();
  return out;
}

std::string clipOf(const Recipe& r, const std::vector<std::string>& ids, const Registry& registry) {
  json clip{{"kind", kClip}, {"version", kFormatVersion}};
  clip["steps"] = clip["others"] = clip["numbers"] = clip["project"] = json::array();
  clip["files"] = json::object();
  std::set<std::string> names, outside;
  for (const StepPtr& s : chosen(r, ids)) {
    json e{{"id", s->id}, {"kind", s->kind},   {"version", s->version}, {"label", s->label},
           {"on", s->on}, {"group", s->group}, {"colour", s->colour},   {"inputs", *s->inputs}};
    clip["steps"].push_back(std::move(e));
    for (const std::string& n : namesUsedBy(*s, registry)) names.insert(n);
    for (const std::string& id : referencesOf(*s)) outside.insert(id);
    const std::string text = s->inputs->dump(-1, ' ', false, json::error_handler_t::replace);
    for (const auto& [hash, bytes] : r.imports)
      if (text.find(hash) != std::string::npos)
        clip["files"][hash] = json::binary(std::vector<std::uint8_t>(bytes->begin(), bytes->end()));
  }
  for (const std::string& id : outside)
    if (const StepEntry* s = r.find(id); s && std::find(ids.begin(), ids.end(), id) == ids.end())
      clip["others"].push_back({{"id", id}, {"kind", s->kind}});
  for (const StepPtr& s : r.steps) clip["project"].push_back(printOf(*s));
  // A number's own expression may use others: all that are reached come along.
  for (bool grown = true; grown;) {
    grown = false;
    for (const Parameter& p : r.parameters)
      if (names.count(p.name))
        for (const std::string& n : namesIn(p.expression)) grown = names.insert(n).second || grown;
  }
  for (const Parameter& p : r.parameters)
    if (names.count(p.name))
      clip["numbers"].push_back({{"name", p.name}, {"value", p.expression}, {"dimension", int(p.dimension)}});
  const auto bytes = json::to_cbor(clip);
  return {bytes.begin(), bytes.end()};
}

Expected<Pasted> pasted(const Recipe& r, const std::string& bytes, const Registry& registry) {
  const auto refused = [](const std::string& why) {
    return fail(problem("LM-R041", "what was copied cannot be pasted here: " + why).tryThis("copy the steps again"));
  };
  const json clip = json::from_cbor(bytes, true, false);
  if (clip.is_discarded() || !clip.is_object() || clip.value("kind", json()) != json(kClip))
    return refused("it holds no steps");
  try {
    if (clip.at("version").get<int>() > kFormatVersion) return refused("it was made by a newer Lumsk");
    Pasted out{r, {}, 0};
    std::vector<StepPtr> steps;
    std::set<std::string> inside;
    for (const json& e : clip.at("steps")) {
      auto s = std::make_shared<StepEntry>();
      s->id = e.at("id").get<std::string>();
      s->kind = e.at("kind").get<std::string>();
      s->version = e.at("version").get<int>();
      s->label = e.at("label").get<std::string>();
      s->on = e.at("on").get<bool>();
      s->group = e.at("group").get<std::string>();
      s->colour = e.at("colour").get<std::string>();
      s->inputs = std::make_shared<const json>(e.at("inputs"));
      if (!s->inputs->is_object()) return refused("its steps are damaged");
      inside.insert(s->id);
      steps.push_back(std::move(s));
    }
    for (const auto& [hash, file] : clip.at("files").items()) {
      const auto& b = file.get_binary();
      auto content = std::make_shared<const std::string>(b.begin(), b.end());
      if (hashOf(*content) != hash) return refused("a file in it is damaged");
      out.recipe.imports[hash] = std::move(content);
    }
    for (const json& n : clip.at("numbers")) {
      Parameter p{n.at("name").get<std::string>(), n.at("value").get<std::string>(),
                  Dimension(std::clamp(n.at("dimension").get<int>(), 0, int(Dimension::Volume)))};
      const auto& known = out.recipe.parameters;
      if (std::none_of(known.begin(), known.end(), [&](const Parameter& k) { return k.name == p.name; }))
        out.recipe.parameters.push_back(std::move(p));
    }
    const int here = r.here.empty() ? -1 : r.indexOf(r.here), place = here < 0 ? int(r.steps.size()) : here + 1;
    std::set<std::string> known{"world"}, prints;
    for (const StepPtr& s : r.steps) prints.insert(printOf(*s));
    size_t alike = 0;
    for (const json& p : clip.at("project")) alike += prints.count(p.get<std::string>());
    const bool sameProject = 2 * alike > clip.at("project").size();
    for (const json& o : clip.at("others")) {
      const StepEntry* s = r.find(o.at("id").get<std::string>());
      if (sameProject && s && s->kind == o.at("kind").get<std::string>() && r.indexOf(s->id) < place)
        known.insert(s->id);
    }
    out.steps = addCopies(
        out.recipe, steps, place, registry,
        [&](const std::string& id) { return !inside.count(id) && !known.count(id); }, out.dropped);
    if (!out.steps.empty() && here >= 0) out.recipe.here = out.steps.back();
    return out;
  } catch (const std::exception&) {
    return refused("it is damaged");
  }
}

Recipe withGroup(const Recipe& r, const std::vector<std::string>& ids, const std::string& group) {
  return changed(r, ids, [&](StepEntry& s) { s.group = group; });
}

Recipe withColour(const Recipe& r, const std::vector<std::string>& ids, const std::string& colour) {
  return changed(r, ids, [&](StepEntry& s) { s.colour = colour; });
}

} // namespace lumsk::recipe
