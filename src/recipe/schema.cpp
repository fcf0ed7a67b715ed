#include "recipe/schema.h"

#include "recipe/drawing_value.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

std::string kindNames(Kind k) {
  static const std::pair<Kind, const char*> all[] = {
      {Kind::Curve, "curve"}, {Kind::Edge, "edge"},   {Kind::Face, "face"},  {Kind::Skin, "skin"},
      {Kind::Solid, "solid"}, {Kind::Plane, "plane"}, {Kind::Point, "point"}};
  std::vector<std::string> names;
  for (const auto& [kind, name] : all)
    if (has(k, kind)) names.push_back(name);
  std::string out;
  for (size_t i = 0; i < names.size(); ++i) out += (i == 0 ? "" : i + 1 == names.size() ? " or " : ", ") + names[i];
  return out;
}

std::string aKind(Kind k) {
  const std::string names = kindNames(k);
  return (names[0] == 'e' ? "an " : "a ") + names;
}

const char* fieldKindName(FieldKind k) {
  static const char* names[] = {"quantity", "choice", "switch", "text",   "file",   "continuity",
                                "picks",    "table",  "graph",  "points", "drawing"};
  return names[int(k)];
}

Field& Field::clicked() {
  byClick = true;
  return *this;
}
Field& Field::seldomSet() {
  seldom = true;
  return *this;
}
Field& Field::when(std::string k, std::vector<std::string> values) {
  conditions.push_back({std::move(k), std::move(values), false});
  return *this;
}
Field& Field::unless(std::string k, std::vector<std::string> values) {
  conditions.push_back({std::move(k), std::move(values), true});
  return *this;
}
Field& Field::within(double lo, double hi) {
  low = lo, high = hi;
  return *this;
}
Field& Field::withHandle(Handle h) {
  handle = h;
  return *this;
}
Field& Field::atLeast(int n) {
  least = n;
  return *this;
}
Field& Field::atMost(int n) {
  most = n;
  return *this;
}
Field& Field::optional() {
  least = 0;
  return *this;
}
Field& Field::prefer(Kind k) {
  preferred = k;
  return *this;
}
Field& Field::eachWith(std::vector<Field> sub) {
  for (const Field& s : sub) each.erase(std::remove_if(each.begin(), each.end(), [&](const Field& f) { return f.key == s.key; }), each.end());
  each.insert(each.end(), sub.begin(), sub.end());
  return *this;
}
Field& Field::endsAt(std::string startKey, std::string endKey, std::string mirrorPicksKey) {
  endFields = {std::move(startKey), std::move(endKey)};
  mirrorField = std::move(mirrorPicksKey);
  return *this;
}

Field& Field::placeTo(std::string ratioKey, std::string acrossKey) {
  placeGoesTo = {std::move(ratioKey), std::move(acrossKey)};
  return *this;
}
Field& Field::othersTo(std::string picksKey) {
  othersGoTo = std::move(picksKey);
  return *this;
}
Field& Field::drawnHere(std::vector<DrawnHere> kinds) {
  drawn = std::move(kinds);
  return *this;
}
Field& Field::ofPlaceSize(double share) {
  ofPlace = share;
  return *this;
}
Field& Field::keeping(std::string option, std::vector<Field> fields) {
  keptOption = std::move(option);
  kept = std::move(fields);
  return *this;
}

Field& Field::linkedTo(std::string picksKey) {
  linksField = std::move(picksKey);
  return *this;
}
Field& Field::onPlane(std::string k) {
  planeField = std::move(k);
  return *this;
}

namespace {
Field make(FieldKind kind, std::string key, std::string label, std::string help) {
  Field f;
  f.kind = kind;
  f.key = std::move(key);
  f.label = std::move(label);
  f.help = std::move(help);
  return f;
}
} // namespace

Field quantity(std::string key, std::string label, std::string help, Dimension d, std::string fallback) {
  Field f = make(FieldKind::Quantity, std::move(key), std::move(label), std::move(help));
  f.dimension = d;
  f.fallback = std::move(fallback);
  return f;
}
Field length(std::string k, std::string l, std::string h, std::string v) {
  return quantity(std::move(k), std::move(l), std::move(h), Dimension::Length, std::move(v));
}
Field angle(std::string k, std::string l, std::string h, std::string v) {
  return quantity(std::move(k), std::move(l), std::move(h), Dimension::Angle, std::move(v)).within(-36000, 36000);
}
Field ratioField(std::string k, std::string l, std::string h, std::string v) {
  return quantity(std::move(k), std::move(l), std::move(h), Dimension::Ratio, std::move(v));
}
Field countField(std::string k, std::string l, std::string h, std::string v) {
  return quantity(std::move(k), std::move(l), std::move(h), Dimension::Count, std::move(v));
}

Field choice(std::string key, std::string label, std::string help, std::vector<Option> options) {
  Field f = make(FieldKind::Choice, std::move(key), std::move(label), std::move(help));
  f.fallback = options.front().key;
  f.options = std::move(options);
  return f;
}
Field toggle(std::string key, std::string label, std::string help, bool on) {
  Field f = make(FieldKind::Switch, std::move(key), std::move(label), std::move(help));
  f.fallback = on ? "true" : "false";
  return f;
}
Field text(std::string key, std::string label, std::string help, std::string fallback) {
  Field f = make(FieldKind::Text, std::move(key), std::move(label), std::move(help));
  f.fallback = std::move(fallback);
  return f;
}
Field measurementName(std::string fallback) {
  Field f =
      text("name", "Name", "Later steps use what is measured under this name, in any number.", std::move(fallback));
  f.namesMeasurement = true;
  return f;
}

Field file(std::string key, std::string label, std::string help, std::string filter) {
  Field f = make(FieldKind::File, std::move(key), std::move(label), std::move(help));
  f.filter = std::move(filter);
  return f;
}
Field continuity(std::string key, std::string label, std::string help, std::vector<std::string> allowed) {
  Field f = make(FieldKind::Continuity, std::move(key), std::move(label), std::move(help));
  static const std::map<std::string, std::string> labels{{"free", "free"},
                                                         {"perpendicular", "square"},
                                                         {"angle", "at an angle"},
                                                         {"flat", "flat"},
                                                         {"g0", "G0"},
                                                         {"g1", "G1"},
                                                         {"g2", "G2"},
                                                         {"g3", "G3"}};
  for (const auto& a : allowed) f.options.push_back({a, labels.at(a)});
  f.fallback = allowed.front();
  return f;
}
Field picks(std::string key, std::string label, std::string help, Kind accepts) {
  Field f = make(FieldKind::Picks, std::move(key), std::move(label), std::move(help));
  f.accepts = accepts;
  f.least = 1;
  if (has(accepts, Kind::Curve) || has(accepts, Kind::Edge)) f.each = portionFields();
  return f;
}
Field table(std::string key, std::string label, std::string help, std::vector<Field> columns) {
  Field f = make(FieldKind::Table, std::move(key), std::move(label), std::move(help));
  f.columns = std::move(columns);
  return f;
}
Field graph(std::string key, std::string label, std::string help, Dimension d) {
  Field f = make(FieldKind::Graph, std::move(key), std::move(label), std::move(help));
  f.dimension = d;
  f.each = {quantity("value", f.label, f.help, d, d == Dimension::Ratio ? "1" : "0")};
  return f;
}
Field points(std::string key, std::string label, std::string help) {
  return make(FieldKind::Points, std::move(key), std::move(label), std::move(help));
}
Field drawing(std::string key, std::string label, std::string help) {
  return make(FieldKind::Drawing, std::move(key), std::move(label), std::move(help));
}

const std::vector<Field>& portionFields() {
  static const std::vector<Field> fields = [] {
    std::vector<Field> out;
    for (const auto& [key, label, end] : {std::array{"from", "From", "starts"}, std::array{"to", "To", "ends"}}) {
      out.push_back(ratioField(key, label,
                               std::string("Where the part that is used ") + end + ", as a fraction of the length.", "")
                        .within(0, 1));
      Field at = make(FieldKind::Picks, std::string(key) + "At", std::string(label) + " where it meets",
                      std::string("A curve, plane or point at which the part ") + end + ".");
      at.accepts = Kind::Point | Kind::Curve | Kind::Edge | Kind::Plane;
      at.most = 1;
      out.push_back(std::move(at));
    }
    out.push_back(choice("extent", "What counts", "Of an edge: itself alone, the edges that go on from it without a corner, or all around.",
                         {{"alone", "alone"}, {"chain", "chain", Kind::Edge}, {"loop", "loop", Kind::Edge}}));
    out.push_back(length("within", "Refit", "Several edges made one curve again that deviates from them by so much at most; empty: as they are.", "")
                      .within(1e-5, 100)
                      .when("extent", {"chain", "loop"}));
    return out;
  }();
  return fields;
}

Field startMark() {
  // Empty: aligned by itself.
  return ratioField("start", "Start",
                    "Where the section starts, as a fraction of its length; empty lets Lumsk align it.", "")
      .within(0, 1);
}
Field flip() { return toggle("flip", "Flip", "Turns the direction of this section.", false); }

const Field* findField(const Schema& s, const std::string& key) {
  const auto it = std::find_if(s.begin(), s.end(), [&](const Field& f) { return f.key == key; });
  return it == s.end() ? nullptr : &*it;
}

std::vector<Option> optionsFor(const Field& choice, const json& pick) {
  std::vector<Option> out;
  const std::string kind = pick.value("kind", "curve");
  for (const Option& o : choice.options) {
    bool fits = o.onlyFor == Kind::None;
    for (unsigned bit = 1; bit <= unsigned(Kind::Plane); bit *= 2)
      fits = fits || (has(o.onlyFor, Kind(bit)) && kindNames(Kind(bit)) == kind);
    if (fits) out.push_back(o);
  }
  return out;
}

json defaultValue(const Field& f) {
  switch (f.kind) {
  case FieldKind::Switch: return f.fallback == "true";
  case FieldKind::File: return json::object();
  case FieldKind::Drawing: return json::object();
  case FieldKind::Picks:
  case FieldKind::Table:
  case FieldKind::Graph:
  case FieldKind::Points: return json::array();
  default: return f.fallback;
  }
}

bool applies(const Field& f, const Schema& s, const json& values) {
  for (const Condition& c : f.conditions) {
    const Field* other = findField(s, c.key);
    const json v = values.contains(c.key) ? values[c.key] : other ? defaultValue(*other) : json();
    const std::string text = v.is_string()    ? v.get<std::string>()
                             : v.is_boolean() ? (v.get<bool>() ? "true" : "false")
                             : v.is_array()   ? (v.empty() ? "none" : "picked")
                                              : "";
    const bool hit = std::find(c.values.begin(), c.values.end(), text) != c.values.end();
    if (hit == c.negated) return false;
  }
  return true;
}

namespace {

bool quantityShaped(const json& v) { return v.is_string() || (v.is_number() && std::isfinite(v.get<double>())); }

std::string fieldError(const Field& f, const json& v);

std::string itemsError(const Field& f, const json& v, const std::vector<Field>& sub,
                       const std::function<std::string(const json&)>& own, const std::set<std::string>& known) {
  if (!v.is_array()) return "'" + f.key + "' must be a list";
  std::set<std::string> ids;
  for (const json& item : v) {
    if (!item.is_object() || !item.contains("id") || !item["id"].is_string())
      return "an item of '" + f.key + "' has no id";
    if (!ids.insert(item["id"].get<std::string>()).second) return "two items of '" + f.key + "' have one id";
    if (const std::string e = own(item); !e.empty()) return e;
    for (const auto& [key, value] : item.items()) {
      if (known.count(key)) continue;
      const Field* s = findField(sub, key);
      if (!s) return "an item of '" + f.key + "' has an unknown key '" + key + "'";
      if (const std::string e = fieldError(*s, value); !e.empty()) return e;
    }
  }
  return {};
}

std::string fieldError(const Field& f, const json& v) {
  const std::string wrong = "'" + f.key + "' is not a " + fieldKindName(f.kind);
  const auto nothing = [](const json&) { return std::string(); };
  switch (f.kind) {
  case FieldKind::Quantity: return quantityShaped(v) ? "" : wrong;
  case FieldKind::Switch: return v.is_boolean() ? "" : wrong;
  case FieldKind::Text: return v.is_string() ? "" : wrong;
  case FieldKind::File:
    return v.is_object() && (v.empty() || (v.contains("hash") && v["hash"].is_string() && v.contains("name") &&
                                           v["name"].is_string()))
               ? ""
               : wrong;
  case FieldKind::Drawing: {
    const std::string error = drawingError(v);
    return error.empty() ? "" : "'" + f.key + "': " + error;
  }
  case FieldKind::Choice:
  case FieldKind::Continuity:
    if (!v.is_string()) return wrong;
    for (const Option& o : f.options)
      if (o.key == v.get<std::string>()) return {};
    return "'" + f.key + "' cannot be '" + v.get<std::string>() + "'";
  case FieldKind::Picks:
    return itemsError(f, v, f.each,
                      [&](const json& i) {
                        const auto isText = [&](const char* key) { return !i.contains(key) || i[key].is_string(); };
                        return i.contains("step") && isText("step") && isText("kind") && isText("part") &&
                                       (!i.contains("near") || i["near"].is_object())
                                   ? ""
                                   : "an item of '" + f.key + "' names no step";
                      },
                      {"id", "step", "kind", "part", "near"});
  case FieldKind::Table: return itemsError(f, v, f.columns, nothing, {"id"});
  case FieldKind::Graph:
    return itemsError(f, v, {},
                      [&](const json& i) {
                        return i.contains("at") && quantityShaped(i["at"]) && i.contains("value") &&
                                       quantityShaped(i["value"])
                                   ? ""
                                   : wrong;
                      },
                      {"id", "at", "value"});
  case FieldKind::Points:
    return itemsError(f, v, {},
                      [&](const json& i) {
                        return i.contains("at") && i["at"].is_array() && i["at"].size() == 3 &&
                                       std::all_of(i["at"].begin(), i["at"].end(), quantityShaped)
                                   ? ""
                                   : wrong;
                      },
                      {"id", "at"});
  }
  return wrong;
}

} // namespace

std::vector<std::string> measuredNames(const json& values, const Schema& s) {
  for (const Field& f : s) {
    if (!f.namesMeasurement) continue;
    const auto v = values.find(f.key);
    const std::string name = v == values.end() ? f.fallback : v->is_string() ? v->get<std::string>() : std::string();
    if (name.empty()) return {}; // of another shape: refused with the other inputs
    const Field* other = findField(s, f.endingsField);
    const json chosen = other ? values.value(other->key, defaultValue(*other)) : json();
    const auto several = f.endings.find(chosen.is_string() ? chosen.get<std::string>() : std::string());
    if (several == f.endings.end()) return {name};
    std::vector<std::string> out;
    for (const std::string& e : several->second) out.push_back(name + e);
    return out;
  }
  return {};
}

std::string shapeError(const Schema& s, const json& values) {
  if (!values.is_object()) return "the inputs are not an object";
  for (const auto& [key, value] : values.items()) {
    if (key == "aside" && value.is_object()) continue; // see recipe/crossed.h
    const Field* f = findField(s, key);
    if (!f) return "there is no input '" + key + "'";
    if (const std::string e = fieldError(*f, value); !e.empty()) return e;
  }
  return {};
}

namespace {

/// A list without what its items have under keys that this program does not know: those hurt nobody.
json withoutUnknown(const Field& f, json v) {
  static const std::set<std::string> usual{"id", "step", "kind", "part", "near", "at", "value"};
  if (!v.is_array()) return v;
  const std::vector<Field>& sub = f.kind == FieldKind::Table ? f.columns : f.each;
  for (json& item : v) {
    if (!item.is_object()) continue;
    for (auto it = item.begin(); it != item.end();)
      it = usual.count(it.key()) || findField(sub, it.key()) ? std::next(it) : item.erase(it);
  }
  return v;
}

} // namespace

json withoutDamaged(const Schema& s, const json& values, std::vector<std::string>& errors) {
  if (!values.is_object()) return errors.push_back(shapeError(s, values)), json::object();
  json out = json::object();
  for (const auto& [key, value] : values.items()) {
    const Field* f = findField(s, key);
    std::string e = f ? fieldError(*f, withoutUnknown(*f, value)) : std::string();
    if (e.empty())
      out[key] = value;
    else
      errors.push_back(std::move(e));
  }
  return out;
}

json toJson(const Schema& s) {
  json out = json::array();
  for (const Field& f : s) {
    json j{{"key", f.key}, {"label", f.label}, {"help", f.help}, {"kind", fieldKindName(f.kind)}};
    if (f.kind == FieldKind::Quantity || f.kind == FieldKind::Graph) {
      j["dimension"] = dimensionName(f.dimension);
      j["range"] = {f.low, f.high};
    }
    if (f.kind != FieldKind::Picks && f.kind != FieldKind::Table) j["default"] = defaultValue(f);
    for (const Option& o : f.options) j["options"].push_back(o.key);
    if (f.kind == FieldKind::Picks) {
      j["accepts"] = kindNames(f.accepts);
      j["least"] = f.least;
      if (f.most < kMostPicks) j["most"] = f.most;
      if (!f.each.empty()) j["each"] = toJson(f.each);
    }
    if (!f.columns.empty()) j["columns"] = toJson(f.columns);
    for (const Condition& c : f.conditions) j["when"].push_back({{"key", c.key}, {c.negated ? "not" : "is", c.values}});
    out.push_back(std::move(j));
  }
  return out;
}

} // namespace lumsk::recipe
