#include "recipe/drawing_value.h"

#include "drawing/solve.h"

#include <cmath>

namespace lumsk::recipe {

using drawing::Drawing;
using nlohmann::json;

namespace {

constexpr size_t kMostText = 2000; ///< bytes

double unitOf(drawing::Law l) { return drawing::dimensionOf(l) == Dimension::Angle ? radFromDeg(1) : 1; }

bool isPlace(const json& v) { return v.is_array() && v.size() == 2 && v[0].is_number() && v[1].is_number(); }
bool isIds(const json& v) {
  return v.is_array() && std::all_of(v.begin(), v.end(), [](const json& x) { return x.is_string(); });
}
bool isList(const json& stored, const char* key) { return !stored.contains(key) || stored[key].is_array(); }

std::string entityError(const json& e) {
  if (!e.is_object() || !e.contains("id") || !e["id"].is_string()) return "an entity has no id";
  if (!e.contains("shape") || !e["shape"].is_string() || !drawing::shapeOf(e["shape"].get<std::string>())) return "an entity has no known shape";
  if (!e.contains("points") || !isIds(e["points"])) return "an entity names no points";
  for (const char* key : {"size", "degree", "rho"})
    if (e.contains(key) && !e[key].is_number()) return std::string("an entity's ") + key + " is no number";
  if (e.contains("text") && !(e["text"].is_string() && e["text"].get_ref<const std::string&>().size() <= kMostText)) return "an entity's text is none";
  for (const char* key : {"left", "closed", "construction", "linked"})
    if (e.contains(key) && !e[key].is_boolean()) return std::string("an entity's ") + key + " is neither on nor off";
  if (e.contains("link") && !e["link"].is_string()) return "an entity's link is no name";
  if (e.contains("knots") && !(e["knots"].is_array() && std::all_of(e["knots"].begin(), e["knots"].end(), [](const json& x) { return x.is_number(); })))
    return "an entity's knots are no numbers";
  return {};
}

std::string relationError(const json& r) {
  if (!r.is_object() || !r.contains("id") || !r["id"].is_string()) return "a relation has no id";
  if (!r.contains("law") || !r["law"].is_string() || !drawing::lawOf(r["law"].get<std::string>())) return "a relation has no known law";
  if (!r.contains("of") || !isIds(r["of"])) return "a relation is of nothing";
  if (drawing::isDimension(*drawing::lawOf(r["law"].get<std::string>())) && !(r.contains("value") && (r["value"].is_string() || r["value"].is_number())))
    return "a dimension has no value";
  for (const char* key : {"off", "measured"})
    if (r.contains(key) && !r[key].is_boolean()) return std::string("a relation's ") + key + " is neither on nor off";
  if (r.contains("turn") && !r["turn"].is_number_integer()) return "a relation's turn is no number";
  if (r.contains("place") && !isPlace(r["place"])) return "a dimension's place is none";
  return {};
}

} // namespace

std::string drawingError(const json& stored) {
  if (!stored.is_object()) return "is no drawing";
  for (const char* key : {"points", "entities", "relations"})
    if (!isList(stored, key)) return std::string("its ") + key + " are no list";
  for (const json& p : stored.value("points", json::array()))
    if (!p.is_object() || !p.contains("id") || !p["id"].is_string() || !p.contains("at") || !isPlace(p["at"]) ||
        (p.contains("construction") && !p["construction"].is_boolean()) || (p.contains("link") && !p["link"].is_string()))
      return "a point has no id or place, or is damaged";
  for (const json& e : stored.value("entities", json::array()))
    if (const std::string error = entityError(e); !error.empty()) return error;
  for (const json& r : stored.value("relations", json::array()))
    if (const std::string error = relationError(r); !error.empty()) return error;
  return {};
}

Expected<Drawing> drawingFrom(const json& stored, const Names& names) {
  if (const std::string error = drawingError(stored); !error.empty()) return fail(problem("LM-U001", "the drawing is damaged: " + error));
  Drawing d;
  const auto number = [&](const std::string& id) { d.lastId = std::max(d.lastId, id.size() > 1 && id.size() < 10 ? std::atoi(id.c_str() + 1) : 0); };
  for (const json& p : stored.value("points", json::array())) {
    d.points.push_back({p["id"], {p["at"][0].get<double>(), p["at"][1].get<double>()}, p.value("construction", false), p.value("link", "")});
    number(d.points.back().id);
  }
  for (const json& e : stored.value("entities", json::array())) {
    drawing::Entity x;
    x.id = e["id"];
    x.shape = *drawing::shapeOf(e["shape"]);
    x.points = e["points"].get<std::vector<std::string>>();
    x.size = e.value("size", x.size);
    x.left = e.value("left", x.left);
    x.degree = int(e.value("degree", double(x.degree)));
    x.rho = e.value("rho", x.rho);
    x.closed = e.value("closed", x.closed);
    x.knots = e.value("knots", x.knots);
    x.construction = e.value("construction", x.construction);
    x.linked = e.value("linked", x.linked);
    x.link = e.value("link", x.link);
    x.text = e.value("text", x.text);
    number(x.id);
    d.entities.push_back(std::move(x));
  }
  for (const json& r : stored.value("relations", json::array())) {
    drawing::Relation x;
    x.id = r["id"];
    x.law = *drawing::lawOf(r["law"]);
    x.of = r["of"].get<std::vector<std::string>>();
    x.off = r.value("off", false);
    x.measured = r.value("measured", false);
    x.turn = r.value("turn", 0);
    if (r.contains("place")) x.place = {r["place"][0].get<double>(), r["place"][1].get<double>()};
    if (drawing::isDimension(x.law)) {
      x.text = r["value"].is_string() ? r["value"].get<std::string>() : formatNumber(r["value"].get<double>(), 12);
      if (!x.measured) {
        LUMSK_TRY(v, dimensionValue(x.law, x.text, names));
        x.value = v;
      }
    }
    number(x.id);
    d.relations.push_back(std::move(x));
  }
  d.lastId = std::max(d.lastId, stored.value("lastId", json(0)).is_number_integer() ? stored.value("lastId", 0) : 0);
  LUMSK_CHECK(drawing::check(d));
  return d;
}

json toJson(const Drawing& d) {
  json out{{"points", json::array()}, {"entities", json::array()}, {"relations", json::array()}, {"lastId", d.lastId}};
  for (const auto& p : d.points) {
    json x{{"id", p.id}, {"at", {p.at.x(), p.at.y()}}};
    if (p.construction) x["construction"] = true;
    if (!p.link.empty()) x["link"] = p.link;
    out["points"].push_back(std::move(x));
  }
  const drawing::Entity usual;
  for (const auto& e : d.entities) {
    json x{{"id", e.id}, {"shape", drawing::shapeName(e.shape)}, {"points", e.points}};
    const bool spline = e.shape == drawing::Shape::Spline || e.shape == drawing::Shape::Through;
    if (e.size != usual.size) x["size"] = e.size;
    if (e.left != usual.left) x["left"] = e.left;
    if (spline) x["degree"] = e.degree;
    if (e.shape == drawing::Shape::Conic) x["rho"] = e.rho;
    if (e.closed) x["closed"] = true;
    if (!e.knots.empty()) x["knots"] = e.knots;
    if (e.construction) x["construction"] = true;
    if (e.linked) x["linked"] = true;
    if (!e.link.empty()) x["link"] = e.link;
    if (e.shape == drawing::Shape::Text) x["text"] = e.text;
    out["entities"].push_back(std::move(x));
  }
  for (const auto& r : d.relations) {
    json x{{"id", r.id}, {"law", drawing::lawName(r.law)}, {"of", r.of}};
    if (drawing::isDimension(r.law)) x["value"] = r.text.empty() ? dimensionText(r.law, r.value) : r.text;
    if (r.measured) x["measured"] = true;
    if (r.off) x["off"] = true;
    if (r.turn) x["turn"] = r.turn;
    if (!r.place.isZero()) x["place"] = {r.place.x(), r.place.y()};
    out["relations"].push_back(std::move(x));
  }
  return out;
}

Expected<Drawing> drawingAt(const Recipe& r, const ItemRef& field, const Names& names) {
  const StepEntry* entry = r.find(field.step);
  if (!entry) return fail(problem("LM-U001", "there is no such drawing"));
  return drawingFrom(entry->inputs->value(field.field, json::object()), names);
}

Recipe withDrawing(const Recipe& r, const ItemRef& field, const Drawing& d) {
  const StepEntry* entry = r.find(field.step);
  return entry ? r.withStep(withInput(*entry, field.field, toJson(d))) : r;
}

Expected<double> dimensionValue(drawing::Law law, const std::string& text, const Names& names) {
  auto q = evaluate(text, drawing::dimensionOf(law), names);
  if (!q) {
    q.error().what = std::string(drawing::lawWords(law)) + ": " + q.error().what;
    return fail(std::move(q.error()));
  }
  return q->value * unitOf(law);
}

Expected<Drawing> withText(const Drawing& d, const drawing::Id& dimension, const std::string& text, const Names& names) {
  Drawing out = d;
  drawing::Relation* r = out.relation(dimension);
  if (!r) return d;
  LUMSK_TRY(v, dimensionValue(r->law, text, names));
  r->text = text;
  r->value = v;
  return drawing::settled(std::move(out));
}

std::string dimensionText(drawing::Law law, double value) {
  return formatNumber(std::round(100 * value / unitOf(law)) / 100, 12);
}

} // namespace lumsk::recipe
