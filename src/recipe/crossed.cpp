#include "recipe/crossed.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

const char* const kAside = "aside";
const char* const kOfItems = "items"; ///< aside: sub-values of picks by the pick's id

/// A pick and its family.
struct Member {
  json pick;
  int family = 0, place = 0;
};

/// Inputs that are in the middle of a switch: picks by family, and all other values.
class Switch {
public:
  explicit Switch(const json& inputs) {
    for (const auto& [key, value] : inputs.items())
      if (key == kAside)
        aside_ = value;
      else
        values_[key] = value;
  }

  void take(const Crossed& from, const FamilyOf& familyOf) {
    const auto add = [&](const std::string& key, int family) {
      const json list = values_.value(key, json::array());
      values_.erase(key);
      for (json pick : list) {
        InFamily own{family, 0};
        if (family == 0) {
          const std::string chosen = pick.value(from.family, "auto");
          if (familyOf) own = familyOf(pick.value("id", ""));
          if (chosen != "auto") own.family = chosen == "a" ? 1 : 2;
        }
        if (!from.family.empty()) pick.erase(from.family);
        members_.push_back({std::move(pick), own.family, own.place});
      }
    };
    if (from.family.empty()) {
      add(from.along, 1);
      add(from.across, 2);
    } else {
      add(from.along, 0);
      std::stable_sort(members_.begin(), members_.end(), [](const Member& a, const Member& b) { return a.place < b.place; });
    }
  }

  /// What is asked at the first and last of one family is asked at those of the other one.
  void swap() {
    for (Member& m : members_) m.family = m.family == 1 ? 2 : m.family == 2 ? 1 : 0;
    json turned = json::object();
    for (const auto& [key, value] : values_.items()) turned[other(key)] = value;
    values_ = std::move(turned);
  }

  json put(const Crossed& to, const Schema& schema) {
    json out = json::object();
    json all = std::move(aside_);
    if (!all.is_object()) all = json::object();
    json items = all.value(kOfItems, json::object());
    all.erase(kOfItems);
    all.update(values_);
    json aside = json::object();
    for (const auto& [key, value] : all.items()) {
      const bool own = key != to.along && key != to.across && shapeError(schema, {{key, value}}).empty();
      (own ? out : aside)[key] = value;
    }
    std::array<json, 2> lists{json::array(), json::array()};
    for (Member& m : members_) {
      const bool across = to.family.empty() && m.family == 2;
      const Field* field = findField(schema, across ? to.across : to.along);
      lists[across].push_back(fitting(std::move(m), *field, to.family, items));
    }
    out[to.along] = std::move(lists[0]);
    if (to.family.empty()) out[to.across] = std::move(lists[1]);
    if (!items.empty()) aside[kOfItems] = std::move(items);
    if (!aside.empty()) out[kAside] = std::move(aside);
    return out;
  }

private:
  static std::string other(const std::string& key) {
    static const std::array<std::pair<const char*, const char*>, 4> sides{
        {{"start", "left"}, {"end", "right"}, {"left", "start"}, {"right", "end"}}};
    for (const auto& [from, to] : sides) {
      const std::string f = from;
      if (key == f || (key.size() > f.size() && key.compare(0, f.size(), f) == 0 && std::isupper(key[f.size()])))
        return to + key.substr(f.size());
    }
    return key;
  }

  /// The pick with the sub-values that the field has a place for; the others go aside, and come back from there.
  static json fitting(Member m, const Field& field, const std::string& familyKey, json& items) {
    static const std::vector<std::string> kOwn{"id", "step", "kind", "part", "near"};
    const std::string id = m.pick.value("id", "");
    json kept = items.value(id, json::object());
    items.erase(id);
    json pick = json::object();
    for (const auto& [key, value] : m.pick.items())
      if (std::find(kOwn.begin(), kOwn.end(), key) != kOwn.end())
        pick[key] = value;
      else
        kept[key] = value;
    if (!familyKey.empty() && m.family > 0) kept[familyKey] = m.family == 1 ? "a" : "b";
    json aside = json::object();
    for (const auto& [key, value] : kept.items()) (findField(field.each, key) ? pick : aside)[key] = value;
    if (!aside.empty()) items[id] = std::move(aside);
    return pick;
  }

  json values_ = json::object(), aside_ = json::object();
  std::vector<Member> members_;
};

StepPtr with(const StepEntry& entry, const Step& step, json inputs) {
  auto made = std::make_shared<StepEntry>(entry);
  made->kind = step.kind;
  made->version = step.version;
  made->inputs = std::make_shared<const json>(std::move(inputs));
  return made;
}

} // namespace

StepPtr swapped(const StepEntry& entry, const Registry& registry) {
  const Step* step = registry.find(entry.kind);
  if (!step || !step->crossed || !step->crossed->family.empty()) return nullptr;
  Switch s(*entry.inputs);
  s.take(*step->crossed, {});
  s.swap();
  return with(entry, *step, s.put(*step->crossed, registry.schemaOf(entry.kind)));
}

StepPtr madeAs(const StepEntry& entry, const std::string& kind, const Registry& registry, const FamilyOf& familyOf) {
  const Step *from = registry.find(entry.kind), *to = registry.find(kind);
  if (!from || !to || !from->crossed || !to->crossed) return nullptr;
  Switch s(*entry.inputs);
  s.take(*from->crossed, familyOf);
  auto made = std::make_shared<StepEntry>(*with(entry, *to, s.put(*to->crossed, registry.schemaOf(kind))));
  // A name that says what it was is no longer right.
  if (entry.label.compare(0, from->label.size(), from->label) == 0)
    made->label = to->label + entry.label.substr(from->label.size());
  return made;
}

std::vector<std::string> otherKinds(const std::string& kind, const Registry& registry) {
  std::vector<std::string> out;
  const Step* own = registry.find(kind);
  for (const Step& s : registry.all())
    if (own && own->crossed && s.crossed && s.kind != kind) out.push_back(s.kind);
  return out;
}

} // namespace lumsk::recipe
