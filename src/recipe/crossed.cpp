#include "recipe/crossed.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

const char* const kAside = "aside";
const char* const kOfItems = "items";   ///< aside: sub-values of picks, by family and id: "2:p3"
const char* const kFamily = "inFamily"; ///< of a pick in a ring
const char* const kPlace = "inPlace";
const char* const kTurned = "turned"; ///< aside: what belongs to the picks of the other direction
const char* const kWas = "was";       ///< of a pick: its id where both families stand in fields of their own

/// A pick and its family.
struct Member {
  json pick;
  int family = 0, place = 0;
};

std::string keyOf(int family, const std::string& id) { return std::to_string(family) + ":" + id; }

/// Inputs that are in the middle of a switch: picks by family, and all other values.
class Switch {
public:
  explicit Switch(const json& inputs) {
    for (const auto& [key, value] : inputs.items())
      if (key == kAside)
        aside_ = value;
      else
        values_[key] = value;
    if (!aside_.is_object()) aside_ = json::object();
  }

  void take(const Crossed& from, const FamilyOf& familyOf) {
    const json items = aside_.value(kOfItems, json::object());
    aside_.erase(kOfItems);
    const auto add = [&](const std::string& key, int family) {
      const json list = values_.value(key, json::array());
      values_.erase(key);
      for (json pick : list) {
        InFamily own{family, 0};
        const std::string id = pick.value("id", "");
        if (id.size() > 1) last_ = std::max(last_, std::atoi(id.c_str() + 1));
        json kept = items.value(keyOf(family, id), json::object());
        if (family == 0) {
          const std::string chosen = from.family.empty() ? "auto" : pick.value(from.family, "auto");
          if (familyOf) own = familyOf(id);
          if (chosen != "auto") own.family = chosen == "a" ? 1 : 2;
          if (kept.contains(kFamily)) own = {kept.value(kFamily, 0), kept.value(kPlace, 0)};
          if (!from.family.empty()) pick.erase(from.family);
          kept.erase(kFamily);
          kept.erase(kPlace);
        }
        pick.update(kept);
        members_.push_back({std::move(pick), own.family, own.place});
      }
    };
    if (from.family.empty() && !from.ring()) {
      add(from.along, 1);
      add(from.across, 2);
      return;
    }
    add(from.along, 0);
    if (from.ring()) add(from.inside, 0);
    std::stable_sort(members_.begin(), members_.end(),
                     [](const Member& a, const Member& b) { return a.place < b.place; });
  }

  /// One list of what sides flow into becomes one a side, or the other way round. What was there before comes back;
  /// what has no place waits.
  void takeInto(const Crossed& from, const Crossed& to) {
    if (from.into.size() == to.into.size()) return;
    const auto holds = [](const json& list, const json& pick) {
      return std::any_of(list.begin(), list.end(), [&](const json& p) {
        return p.value("step", "") == pick.value("step", "") && p.value("part", "") == pick.value("part", "");
      });
    };
    const auto gathered = [&](const json& values, const std::vector<std::string>& keys, json all) {
      for (const std::string& key : keys)
        for (json pick : values.value(key, json::array())) {
          if (holds(all, pick)) continue;
          pick["id"] = "p" + std::to_string(all.size() + 1);
          all.push_back(std::move(pick));
        }
      return all;
    };
    json all = gathered(values_, from.into, json::array());
    if (to.into.size() == 1) {
      all = gathered(aside_, to.into, std::move(all));
      if (!all.empty()) values_[to.into[0]] = std::move(all);
      return;
    }
    const json known = gathered(aside_, to.into, json::array());
    const bool spread = known.empty() && all.size() == 1;
    if (spread)
      for (const std::string& key : to.into) values_[key] = all;
    if (spread || std::all_of(all.begin(), all.end(), [&](const json& p) { return holds(known, p); }))
      values_.erase(from.into[0]);
  }

  /// What is asked at the first and last of one family is asked at those of the other one; what belongs to the picks
  /// of a direction waits until they stand there again.
  void swap(const Crossed& step) {
    for (Member& m : members_) m.family = m.family == 1 ? 2 : m.family == 2 ? 1 : 0;
    json waiting = json::object(), turned = json::object();
    for (const auto& [key, value] : values_.items())
      (std::find(step.ofAlong.begin(), step.ofAlong.end(), key) != step.ofAlong.end()
           ? waiting
           : turned)[other(key, step.sides)] = value;
    turned.update(aside_.value(kTurned, json::object()));
    aside_.erase(kTurned);
    if (!waiting.empty()) aside_[kTurned] = std::move(waiting);
    values_ = std::move(turned);
  }

  json put(const Crossed& to, const Schema& schema) {
    json out = json::object(), aside = json::object(), items = json::object();
    json all = std::move(aside_);
    all.update(values_);
    for (const auto& [key, value] : all.items()) {
      const bool own = key != to.along && key != to.across && key != to.inside && key != kTurned &&
                       shapeError(schema, {{key, value}}).empty();
      (own ? out : aside)[key] = value;
    }
    std::map<std::string, json> lists;
    for (size_t i = 0; i < members_.size(); ++i) {
      Member& m = members_[i];
      const std::string& key = to.ring()                            ? (isOutermost(i) ? to.along : to.inside)
                               : to.family.empty() && m.family == 2 ? to.across
                                                                    : to.along;
      json& list = lists.emplace(key, json::array()).first->second;
      if (to.family.empty() && !to.ring())
        giveBackId(m.pick, list);
      else
        makeUnique(m.pick, list, to.ring() ? lists : std::map<std::string, json>());
      if (to.ring() && m.family > 0) {
        json& item = items[keyOf(0, m.pick.value("id", ""))];
        item[kFamily] = m.family;
        item[kPlace] = int(i);
      }
      list.push_back(fitting(m, *findField(schema, key), to, items));
    }
    out[to.along] = lists.emplace(to.along, json::array()).first->second;
    if (!to.ring() && to.family.empty()) out[to.across] = lists.emplace(to.across, json::array()).first->second;
    if (to.ring() && lists.count(to.inside)) out[to.inside] = lists[to.inside];
    if (!items.empty()) aside[kOfItems] = std::move(items);
    if (!aside.empty()) out[kAside] = std::move(aside);
    return out;
  }

private:
  /// The key, or one that begins with it ("startPull"), of the side that takes its place.
  static std::string other(const std::string& key, const std::array<std::string, 4>& sides) {
    for (size_t k = 0; k < 4; ++k) {
      const std::string& f = sides[k];
      if (key == f || (key.size() > f.size() && key.compare(0, f.size(), f) == 0 && std::isupper(key[f.size()])))
        return sides[(k + 2) % 4] + key.substr(f.size());
    }
    return key;
  }

  static bool has(const json& list, const std::string& id) {
    return std::any_of(list.begin(), list.end(), [&](const json& p) { return p.value("id", "") == id; });
  }
  static void giveBackId(json& pick, const json& list) {
    const std::string was = pick.value(kWas, "");
    pick.erase(kWas);
    if (!was.empty() && !has(list, was)) pick["id"] = was;
  }
  void makeUnique(json& pick, const json& list, const std::map<std::string, json>& others) {
    const std::string id = pick.value("id", "");
    if (!has(list, id) && std::none_of(others.begin(), others.end(), [&](const auto& o) { return has(o.second, id); }))
      return;
    pick[kWas] = id;
    pick["id"] = "p" + std::to_string(++last_);
  }

  /// Whether a member is the first or the last of its family, or of none.
  bool isOutermost(size_t i) const {
    const int family = members_[i].family;
    if (family == 0) return true;
    const auto same = [&](const Member& m) { return m.family == family; };
    const bool before = std::any_of(members_.begin(), members_.begin() + long(i), same);
    return !before || std::none_of(members_.begin() + long(i) + 1, members_.end(), same);
  }

  /// The pick with the sub-values that the field has a place for; the others go aside.
  /// Under which number its family is known to the step: 0 where its picks stand in one field.
  static json fitting(const Member& given, const Field& field, const Crossed& to, json& items) {
    Member m = given;
    const std::string& familyKey = to.family;
    const int own = familyKey.empty() && !to.ring() ? m.family : 0;
    static const std::vector<std::string> kOwn{"id", "step", "kind", "part", "near"};
    if (!familyKey.empty() && m.family > 0) m.pick[familyKey] = m.family == 1 ? "a" : "b";
    json pick = json::object(), aside = json::object();
    for (const auto& [key, value] : m.pick.items()) {
      const bool fits = std::find(kOwn.begin(), kOwn.end(), key) != kOwn.end() || findField(field.each, key);
      (fits ? pick : aside)[key] = value;
    }
    if (!aside.empty()) items[keyOf(own, pick.value("id", ""))].update(aside);
    return pick;
  }

  json values_ = json::object(), aside_ = json::object();
  std::vector<Member> members_;
  int last_ = 0; ///< highest number of a pick's id
};

StepPtr with(const StepEntry& entry, const Step& step, json inputs) {
  auto made = std::make_shared<StepEntry>(entry);
  made->kind = step.kind;
  made->version = step.version;
  made->inputs = std::make_shared<const json>(std::move(inputs));
  return made;
}

} // namespace

FamilyOf familiesIn(const OutcomePtr& outcome) {
  return [outcome](const std::string& item) {
    if (outcome)
      for (const Flag& f : outcome->marks.all<recipe::Flag>())
        if (f.item == item && f.group > 0)
          return InFamily{f.group, f.mark.size() > 1 ? std::atoi(f.mark.c_str() + 1) : 0};
    return InFamily{};
  };
}

StepPtr swapped(const StepEntry& entry, const Registry& registry) {
  const Step* step = registry.find(entry.kind);
  if (!step || !step->crossed || step->crossed->across.empty()) return nullptr;
  Switch s(*entry.inputs);
  s.take(*step->crossed, {});
  s.swap(*step->crossed);
  return with(entry, *step, s.put(*step->crossed, registry.schemaOf(entry.kind)));
}

StepPtr madeAs(const StepEntry& entry, const std::string& kind, const Registry& registry, const FamilyOf& familyOf) {
  const Step *from = registry.find(entry.kind), *to = registry.find(kind);
  if (!from || !to || !from->crossed || !to->crossed) return nullptr;
  Switch s(*entry.inputs);
  s.take(*from->crossed, familyOf);
  s.takeInto(*from->crossed, *to->crossed);
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
