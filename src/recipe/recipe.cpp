#include "recipe/recipe.h"

#include <nlohmann/json.hpp>
#include <xxhash.h>

#include <algorithm>
#include <fmt/format.h>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

namespace {
const std::vector<std::pair<const char*, Finish>> kFinishes{
    {"matt", Finish::Matt}, {"satin", Finish::Satin}, {"gloss", Finish::Gloss}, {"metal", Finish::Metal}};
}

const char* finishName(Finish f) { return kFinishes[size_t(f)].first; }

std::optional<Finish> finishOf(const std::string& name) {
  for (const auto& [known, finish] : kFinishes)
    if (name == known) return finish;
  return {};
}

int Recipe::indexOf(const std::string& id) const {
  for (size_t i = 0; i < steps.size(); ++i)
    if (steps[i]->id == id) return int(i);
  return -1;
}

const StepEntry* Recipe::find(const std::string& id) const {
  const int i = indexOf(id);
  return i < 0 ? nullptr : steps[i].get();
}

std::string Recipe::newId() { return std::to_string(++lastId); }

Recipe Recipe::withStep(StepPtr changed) const {
  Recipe r = *this;
  if (const int i = indexOf(changed->id); i >= 0) r.steps[i] = std::move(changed);
  return r;
}

Recipe Recipe::withInserted(StepPtr step) const {
  Recipe r = *this;
  const int at = here.empty() ? -1 : indexOf(here);
  if (!here.empty() && at >= 0) r.here = step->id;
  r.steps.insert(at < 0 ? r.steps.end() : r.steps.begin() + at + 1, std::move(step));
  return r;
}

Recipe Recipe::without(const std::string& id) const {
  Recipe r = *this;
  const int i = indexOf(id);
  if (i < 0) return r;
  if (r.here == id) r.here = i > 0 ? steps[i - 1]->id : std::string();
  r.steps.erase(r.steps.begin() + i);
  return r;
}

StepPtr withInput(const StepEntry& s, const std::string& key, const json& value) {
  auto out = std::make_shared<StepEntry>(s);
  json inputs = *s.inputs;
  inputs[key] = value;
  out->inputs = std::make_shared<const json>(std::move(inputs));
  return out;
}

void forEachReference(const json& j, const std::function<void(const json&)>& f) {
  if (j.is_object() && j.contains("step") && j["step"].is_string()) f(j);
  if (j.is_structured())
    for (const json& child : j) forEachReference(child, f);
}

std::vector<std::string> referencesOf(const StepEntry& s) {
  std::vector<std::string> out;
  forEachReference(*s.inputs, [&](const json& pick) {
    const auto id = pick["step"].get<std::string>();
    if (id != "world" && std::find(out.begin(), out.end(), id) == out.end()) out.push_back(id);
  });
  return out;
}

Expected<Names> parameterValues(const Recipe& r) {
  Names values;
  std::set<std::string> done;
  std::map<std::string, const Parameter*> byName;
  for (const Parameter& p : r.parameters) {
    LUMSK_CHECK(checkName(p.name));
    if (!byName.emplace(p.name, &p).second)
      return fail(
          problem("LM-E005", "two numbers are named '" + p.name + "'").inField(p.name).tryThis("rename one of them"));
  }
  // The way from a number to what it needs, kept here and not on the stack: chains of numbers may be long.
  struct Visit {
    const Parameter* number;
    std::vector<std::string> needs;
    size_t next = 0;
  };
  std::vector<Visit> way;
  std::set<std::string> onWay;
  const auto enter = [&](const Parameter& p) -> Expected<void> {
    if (done.count(p.name)) return {};
    if (!onWay.insert(p.name).second) {
      constexpr size_t kNamed = 6;
      std::string circle;
      auto from = std::find_if(way.begin(), way.end(), [&](const Visit& v) { return v.number == &p; });
      for (size_t named = 0; from != way.end() && named < kNamed; ++from, ++named) circle += from->number->name + ", ";
      return fail(problem("LM-E006",
                          "these numbers need each other: " + circle + (from == way.end() ? "" : "..., ") + p.name)
                      .inField(p.name)
                      .tryThis("give one of them a plain value"));
    }
    way.push_back({&p, namesIn(p.expression)});
    return {};
  };
  for (const Parameter& first : r.parameters) {
    LUMSK_CHECK(enter(first));
    while (!way.empty()) {
      if (way.back().next < way.back().needs.size()) {
        const auto need = byName.find(way.back().needs[way.back().next++]);
        if (need != byName.end()) LUMSK_CHECK(enter(*need->second));
        continue;
      }
      const Parameter& p = *way.back().number;
      auto v = evaluate(p.expression, p.dimension, values);
      if (!v) {
        v.error().what = p.name + ": " + v.error().what;
        return fail(v.error().inField(p.name));
      }
      values[p.name] = *v;
      done.insert(p.name);
      onWay.erase(p.name);
      way.pop_back();
    }
  }
  return values;
}

std::string hashOf(const std::string& bytes) {
  const XXH128_hash_t h = XXH3_128bits(bytes.data(), bytes.size());
  return fmt::format("xxh128:{:016x}{:016x}", h.high64, h.low64);
}

} // namespace lumsk::recipe
