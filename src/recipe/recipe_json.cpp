#include "recipe/recipe_json.h"

#include "base/text.h"

#include <algorithm>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

constexpr double kLeastOpacity = 0.1; ///< what is fainter is better taken out of sight
constexpr double kMostDensity = 30;   ///< g/cm³: no matter is heavier

const std::vector<Dimension> kDimensions{Dimension::Ratio, Dimension::Count, Dimension::Length,
                                         Dimension::Angle, Dimension::Area,  Dimension::Volume};

/// Colours of faces; what is no text is left out.
std::map<std::string, std::string> facesOf(const json& look) {
  std::map<std::string, std::string> out;
  const json faces = look.is_object() ? look.value("faces", json::object()) : json::object();
  if (faces.is_object())
    for (const auto& [name, colour] : faces.items())
      if (colour.is_string()) out[name] = colour.get<std::string>();
  return out;
}

Problem foreign(const std::string& why) {
  return problem("LM-F002", "this is not a recipe that Lumsk can read: " + why)
      .tryThis("open the copy that was saved before");
}

template <class T> T value(const json& j, const char* key, T fallback) {
  const auto it = j.find(key);
  return it == j.end() ? fallback : it->get<T>();
}

Recipe read(const json& j) {
  Recipe r;
  const json t = value(j, "tolerances", json::object());
  r.tolerances.point.mm = value(t, "point_mm", r.tolerances.point.mm);
  r.tolerances.fit.mm = value(t, "fit_mm", r.tolerances.fit.mm);
  r.tolerances.angle.deg = value(t, "angle_deg", r.tolerances.angle.deg);
  r.tolerances.curvature.relative = value(t, "curvature", r.tolerances.curvature.relative);
  const json numbers = value(j, "numbers", json::array());
  for (const json& p : numbers) {
    Parameter q{p.at("name").get<std::string>(), p.at("value").get<std::string>(), Dimension::Length};
    const auto dimension = value<std::string>(p, "dimension", "length");
    bool known = false;
    for (Dimension d : kDimensions)
      if (dimension == dimensionName(d)) q.dimension = d, known = true;
    if (!known) throw std::runtime_error("unknown dimension '" + dimension + "'");
    r.parameters.push_back(std::move(q));
  }
  r.lastId = value(j, "last_id", 0);
  std::set<std::string> ids;
  const json& steps = j.at("steps");
  if (steps.size() > kMostSteps) throw std::runtime_error("it has " + std::to_string(steps.size()) + " steps, and " + std::to_string(kMostSteps) + " are the most");
  if (numbers.size() > kMostNumbers) throw std::runtime_error("it has " + std::to_string(numbers.size()) + " numbers, and " + std::to_string(kMostNumbers) + " are the most");
  for (const json& s : steps) {
    auto e = std::make_shared<StepEntry>();
    e->id = s.at("id").get<std::string>();
    e->kind = s.at("kind").get<std::string>();
    e->version = value(s, "version", 1);
    e->label = oneLine(value<std::string>(s, "label", e->kind));
    e->on = value(s, "on", true);
    e->group = oneLine(value<std::string>(s, "group", ""));
    e->colour = value<std::string>(s, "colour", "");
    e->inputs = std::make_shared<const json>(value(s, "inputs", json::object()));
    if (e->id.empty() || !ids.insert(e->id).second) throw std::runtime_error("two steps have the id '" + e->id + "'");
    if (!e->inputs->is_object()) throw std::runtime_error("the inputs of '" + e->id + "' are no object");
    if (e->id.size() > 1 && e->id.size() < 9 && e->id.find_first_not_of("0123456789", 1) == std::string::npos)
      r.lastId = std::max(r.lastId, std::stoi(e->id.substr(1)));
    r.steps.push_back(std::move(e));
  }
  const json looks = value(j, "looks", json::object());
  for (const auto& [id, l] : looks.items())
    r.looks[id] = {oneLine(value<std::string>(l, "label", "")), value<std::string>(l, "colour", ""), value(l, "visible", true),
                   std::clamp(value(l, "opacity", 1.0), kLeastOpacity, 1.0),
                   finishOf(value<std::string>(l, "finish", "matt")).value_or(Finish::Matt),
                   std::clamp(value(l, "density", 0.0), 0.0, kMostDensity), facesOf(l)};
  r.here = value<std::string>(j, "here", "");
  return r;
}

} // namespace

json asJson(const Recipe& r) {
  json j;
  j["format"] = "lumsk-recipe";
  j["version"] = kFormatVersion;
  j["tolerances"] = {{"point_mm", r.tolerances.point.mm},
                     {"fit_mm", r.tolerances.fit.mm},
                     {"angle_deg", r.tolerances.angle.deg},
                     {"curvature", r.tolerances.curvature.relative}};
  j["numbers"] = json::array();
  for (const Parameter& p : r.parameters)
    j["numbers"].push_back({{"name", p.name}, {"value", p.expression}, {"dimension", dimensionName(p.dimension)}});
  j["steps"] = json::array();
  for (const StepPtr& s : r.steps) {
    json e{{"id", s->id}, {"kind", s->kind}, {"version", s->version}, {"label", s->label}, {"inputs", *s->inputs}};
    if (!s->on) e["on"] = false;
    if (!s->group.empty()) e["group"] = s->group;
    if (!s->colour.empty()) e["colour"] = s->colour;
    j["steps"].push_back(std::move(e));
  }
  j["looks"] = json::object();
  for (const auto& [id, l] : r.looks) {
    json e = json::object();
    if (!l.label.empty()) e["label"] = l.label;
    if (!l.colour.empty()) e["colour"] = l.colour;
    if (!l.visible) e["visible"] = false;
    if (l.opacity != 1.0) e["opacity"] = l.opacity;
    if (l.finish != Finish::Matt) e["finish"] = finishName(l.finish);
    if (l.density > 0) e["density"] = l.density;
    if (!l.faces.empty()) e["faces"] = l.faces;
    if (!e.empty()) j["looks"][id] = std::move(e);
  }
  if (!r.here.empty()) j["here"] = r.here;
  j["last_id"] = r.lastId;
  return j;
}

std::string toText(const Recipe& r) { return asJson(r).dump(1, ' ', false, json::error_handler_t::replace) + "\n"; }

namespace {

/// How deeply brackets stand within one another, and about how many values there are.
struct Extent {
  int deepest = 0;
  size_t values = 1;
};
Extent extentOf(const std::string& text) {
  Extent out;
  int depth = 0;
  bool quoted = false;
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\') ++i;
      quoted = c != '"';
    } else if (c == '"') {
      quoted = true;
    } else if (c == '[' || c == '{') {
      out.deepest = std::max(out.deepest, ++depth), ++out.values;
    } else if (c == ']' || c == '}') {
      --depth;
    } else if (c == ',') {
      ++out.values;
    }
  }
  return out;
}

} // namespace

std::optional<json> parsedSafely(const std::string& text, std::string* why) {
  constexpr int kDeepest = 100;
  const Extent e = extentOf(text);
  const auto no = [&](const char* words) {
    if (why) *why = words;
    return std::nullopt;
  };
  if (e.deepest > kDeepest) return no("its lists are nested too deeply");
  if (e.values > kMostValues) return no("it holds too many values");
  json j = json::parse(text, nullptr, false);
  if (j.is_discarded()) return no("its text is damaged");
  return j;
}

Expected<Recipe> fromText(const std::string& text) {
  std::string why;
  const auto j = parsedSafely(text, &why);
  if (!j) return fail(foreign(why));
  return fromJson(*j);
}

Expected<Recipe> fromJson(const json& j) {
  if (!j.is_object() || value<json>(j, "format", "") != "lumsk-recipe") return fail(foreign("it is of another kind"));
  const json version = value<json>(j, "version", 0);
  if (!version.is_number_integer() || version < 1) return fail(foreign("it has no version"));
  if (version > kFormatVersion)
    return fail(problem("LM-F003", "this file was made by a newer Lumsk")
                    .measure(count(version.get<double>()))
                    .want(count(kFormatVersion))
                    .tryThis("update Lumsk"));
  try {
    Recipe r = read(j);
    LUMSK_CHECK(validate(r.tolerances));
    return r;
  } catch (const std::exception& e) {
    std::string why = e.what();
    if (const auto end = why.find("] "); end != std::string::npos) why = why.substr(end + 2);
    return fail(foreign(why));
  }
}

} // namespace lumsk::recipe
