#include "recipe/edit.h"

#include "recipe/needs.h"
#include "recipe/rails.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

template <class List> auto itemOf(List& list, const std::string& id) {
  return std::find_if(list.begin(), list.end(), [&](const json& i) { return i.value("id", std::string()) == id; });
}

/// The recipe with the list of a field changed by `f`.
template <class F> Recipe withList(const Recipe& r, const ItemRef& ref, F&& f) {
  const StepEntry* entry = r.find(ref.step);
  if (!entry) return r;
  json list = listAt(*entry, ref.field);
  f(list);
  return r.withStep(withInput(*entry, ref.field, list));
}

} // namespace

json listAt(const StepEntry& entry, const std::string& field) { return entry.inputs->value(field, json::array()); }

const Field* fieldOf(const ItemRef& ref, const Recipe& r, const Registry& registry) {
  const StepEntry* entry = r.find(ref.step);
  const Field* f = entry ? findField(registry.schemaOf(entry->kind), ref.field) : nullptr;
  return f && !ref.item.empty() ? findField(f->each, ref.key) : f;
}

json valueAt(const ItemRef& ref, const Field& f, const Recipe& r) {
  const StepEntry* entry = r.find(ref.step);
  if (!entry) return {};
  if (ref.item.empty()) return entry->inputs->value(ref.field, defaultValue(f));
  const json list = listAt(*entry, ref.field);
  const auto item = itemOf(list, ref.item);
  return item == list.end() ? json() : item->value(ref.key, defaultValue(f));
}

Expected<double> numberOf(const json& v, Dimension dimension, const Names& names) {
  if (v.is_number()) return v.get<double>();
  if (!v.is_string()) return 0.0;
  LUMSK_TRY(q, evaluate(v.get<std::string>(), dimension, names));
  return q.value;
}

double numberAt(const ItemRef& ref, const Field& f, const Recipe& r, const Names& names) {
  return numberOf(valueAt(ref, f, r), f.dimension, names).value_or(0.0);
}

std::string freeItemId(const json& list, const std::string& prefix) {
  int highest = 0;
  for (const json& item : list)
    if (const std::string id = item.value("id", std::string()); id.rfind(prefix, 0) == 0)
      highest = std::max(highest, std::atoi(id.c_str() + prefix.size()));
  return prefix + std::to_string(highest + 1);
}

Recipe withValue(const Recipe& r, const ItemRef& ref, const json& value) {
  if (!ref.item.empty())
    return withList(r, ref, [&](json& list) {
      if (const auto item = itemOf(list, ref.item); item != list.end()) (*item)[ref.key] = value;
    });
  const StepEntry* entry = r.find(ref.step);
  return entry ? r.withStep(withInput(*entry, ref.field, value)) : r;
}

Recipe withNumber(const Recipe& r, const ItemRef& ref, double value) { return withValue(r, ref, value); }

Recipe withoutItem(const Recipe& r, const ItemRef& ref) {
  return withList(r, ref, [&](json& list) {
    if (const auto item = itemOf(list, ref.item); item != list.end()) list.erase(item);
  });
}

namespace {

/// The row of that id, made where there is none.
json& rowIn(json& list, const std::string& id) {
  const auto row = itemOf(list, id);
  if (row != list.end()) return *row;
  list.push_back({{"id", id}});
  return list.back();
}

} // namespace

Recipe withMove(const Recipe& r, const ItemRef& ref, const Vec3& byMm, double perMm, const Names& names) {
  return withList(r, ref, [&](json& list) {
    json& row = rowIn(list, ref.item);
    const char* columns[3] = {"x", "y", "z"};
    for (int k = 0; k < 3; ++k) {
      const double before = numberOf(row.value(columns[k], json(0.0)), Dimension::Length, names).value_or(0.0);
      row[columns[k]] = std::round((before + byMm[k]) * perMm) / perMm;
    }
  });
}

Recipe withSwitchTurned(const Recipe& r, const ItemRef& ref) {
  return withList(r, ref, [&](json& list) {
    json& row = rowIn(list, ref.item);
    const bool on = row.contains(ref.key) && row[ref.key].is_boolean() && row[ref.key].get<bool>();
    row[ref.key] = !on;
  });
}

Recipe withRailPlace(const Recipe& r, const ItemRef& ref, double fraction) {
  return withList(r, ref, [&](json& rows) { rows = withRailPlace(std::move(rows), ref.item, fraction); });
}

namespace {

/// What a graph says at a place between two rows, as straight as it goes; nothing of rows that are expressions.
double valueBetween(const json& rows, double at, double otherwise) {
  const json *before = nullptr, *after = nullptr;
  const auto place = [](const json& row) { return row["at"].get<double>(); };
  for (const json& row : rows) {
    if (!row.value("at", json()).is_number() || !row.value("value", json()).is_number()) continue;
    if (place(row) <= at && (!before || place(row) > place(*before))) before = &row;
    if (place(row) > at && (!after || place(row) < place(*after))) after = &row;
  }
  if (!before && !after) return otherwise;
  if (!before || !after) return (*(before ? before : after))["value"].get<double>();
  const double t = (at - place(*before)) / (place(*after) - place(*before));
  return (1 - t) * (*before)["value"].get<double>() + t * (*after)["value"].get<double>();
}

} // namespace

Recipe withNewRailRow(const Recipe& r, const ItemRef& rail, double fraction, const Registry& registry) {
  const Field* f = fieldOf({rail.step, rail.field}, r, registry);
  if (f && f->kind == FieldKind::Graph)
    return withList(r, rail, [&](json& rows) {
      const double at = std::round(fraction * 1e4) / 1e4;
      const double value = valueBetween(rows, at, std::stod(f->each.front().fallback));
      rows.push_back({{"id", freeItemId(rows, "q")}, {"at", at}, {"value", std::round(value * 1e4) / 1e4}});
    });
  return withList(r, rail, [&](json& rows) {
    const std::string id = newRailRow(rows, rail.item);
    rows = withRailPlace(std::move(rows), id, fraction);
  });
}

Recipe withPieceTurned(const Recipe& r, const std::string& step, const std::vector<Region>& pieces, size_t clicked) {
  const StepEntry* entry = r.find(step);
  if (!entry || clicked >= pieces.size()) return r;
  const Region& piece = pieces[clicked];
  const std::string now = entry->inputs->value(piece.choice, std::string());
  const bool chosen = now == piece.these || now == piece.others;
  const auto add = [](json& rows, const Region& p) {
    const auto round = [](double x) { return std::round(x * 1e4) / 1e4; };
    rows.push_back({{"id", freeItemId(rows, "q")}, {"piece", p.piece}, {"x", round(p.at.x())}, {"y", round(p.at.y())}, {"z", round(p.at.z())}});
  };
  const ItemRef list{step, piece.field};
  if (chosen)
    return withList(r, list, [&](json& rows) {
      const auto row = piece.row.empty() ? rows.end() : itemOf(rows, piece.row);
      if (row != rows.end())
        rows.erase(row);
      else
        add(rows, piece);
    });
  const Recipe next = withList(r, list, [&](json& rows) {
    rows = json::array();
    for (size_t i = 0; i < pieces.size(); ++i)
      if (pieces[i].kept != (i == clicked)) add(rows, pieces[i]);
  });
  return withValue(next, {step, piece.choice}, piece.these);
}

namespace {

/// The option after the one that stands; `found` is what an option that finds by itself has found.
std::string nextOption(const Field& choice, const std::vector<Option>& options, const std::string& now, int found) {
  if (choice.options[0].key == "auto")
    return now == "auto" ? options[1 + size_t(std::max(0, found)) % (options.size() - 1)].key : options[0].key;
  for (size_t k = 0; k < options.size(); ++k)
    if (options[k].key == now) return options[(k + 1) % options.size()].key;
  return options[0].key;
}

/// The row of a table whose first column holds a name: made where there is none.
Recipe withNamedRow(const Recipe& r, const ItemRef& list, const Field& table, const std::string& name, const std::string& key, const std::string& value) {
  const std::string& named = table.columns.front().key;
  return withList(r, list, [&](json& rows) {
    for (json& row : rows)
      if (row.value(named, std::string()) == name) {
        row[key] = value;
        return;
      }
    rows.push_back({{"id", freeItemId(rows, "q")}, {named, name}, {key, value}});
  });
}

/// A flag of one of many things: its row's choice goes on from what it is, or from what the step says for all of them.
Recipe withRowTurned(const Recipe& r, const ItemRef& ref, const Field& table, const Registry& registry) {
  const Field* column = findField(table.columns, ref.key);
  const Field* all = fieldOf({ref.step, ref.key}, r, registry);
  if (!column || !all) return r;
  const StepEntry& entry = *r.find(ref.step);
  std::string now = entry.inputs->value(ref.key, all->fallback);
  for (const json& row : listAt(entry, ref.field))
    if (row.value(table.columns.front().key, std::string()) == ref.item) now = row.value(ref.key, now);
  return withNamedRow(r, {ref.step, ref.field}, table, ref.item, ref.key, nextOption(*column, column->options, now, 0));
}

} // namespace

Recipe withRemedy(const Recipe& r, const std::string& step, const Remedy& offer, const Registry& registry) {
  const ItemRef ref{step, offer.field};
  const Field* f = fieldOf(ref, r, registry);
  if (!f) return r;
  if (f->kind == FieldKind::Switch) return withValue(r, ref, offer.value == "true");
  if (f->kind == FieldKind::Table) { // "name\tcolumn\tvalue"
    const size_t first = offer.value.find('\t'), second = offer.value.rfind('\t');
    if (first == std::string::npos || second == first) return r;
    return withNamedRow(r, ref, *f, offer.value.substr(0, first), offer.value.substr(first + 1, second - first - 1), offer.value.substr(second + 1));
  }
  if (f->kind == FieldKind::Drawing) { // the id of what is given up
    json d = r.find(step)->inputs->value(offer.field, json::object());
    for (json& relation : d["relations"])
      if (relation.value("id", "") == offer.value) relation["off"] = true;
    return withValue(r, ref, d);
  }
  if (f->kind != FieldKind::Picks) return withValue(r, ref, offer.value);
  const std::string order = "," + offer.value + ",";
  const auto place = [&](const json& item) { return order.find("," + item.value("id", std::string()) + ","); };
  return withList(r, ref, [&](json& list) {
    std::stable_sort(list.begin(), list.end(), [&](const json& a, const json& b) { return place(a) < place(b); });
  });
}

std::pair<Recipe, const Field*> withItemTurned(const Recipe& r, const ItemRef& ref, int group,
                                               const Registry& registry) {
  const Field* field = fieldOf({ref.step, ref.field}, r, registry);
  if (!field) return {r, nullptr};
  const StepEntry& entry = *r.find(ref.step);
  if (field->kind == FieldKind::Choice || field->kind == FieldKind::Continuity) // a flag of the step itself: the next option
    return {withValue(r, {ref.step, ref.field},
                      nextOption(*field, field->options, entry.inputs->value(ref.field, field->fallback), group)),
            field};
  if (field->kind == FieldKind::Table) return {withRowTurned(r, ref, *field, registry), field};
  const auto sub = std::find_if(field->each.begin(), field->each.end(), [&](const Field& f) {
    return ref.key.empty() ? f.kind == FieldKind::Switch || f.kind == FieldKind::Choice : f.key == ref.key;
  });
  if (sub == field->each.end()) return {r, nullptr};
  const json list = listAt(entry, ref.field);
  const auto item = itemOf(list, ref.item);
  if (item == list.end()) return {r, nullptr};
  const ItemRef value{ref.step, ref.field, ref.item, sub->key};
  if (sub->kind == FieldKind::Switch) return {withValue(r, value, !item->value(sub->key, false)), &*sub};
  const auto options = optionsFor(*sub, *item);
  const std::string now = item->value(sub->key, sub->fallback.empty() ? options[0].key : sub->fallback);
  return {withValue(r, value, nextOption(*sub, options, now, group)), &*sub};
}

Recipe withLabel(const Recipe& r, const std::string& step, const std::string& label) {
  const StepEntry* entry = r.find(step);
  if (!entry) return r;
  auto e = std::make_shared<StepEntry>(*entry);
  e->label = label;
  return r.withStep(std::move(e));
}

Recipe withSwitched(const Recipe& r, const std::vector<std::string>& steps, bool on) {
  Recipe next = r;
  for (const std::string& id : steps)
    if (const StepEntry* entry = next.find(id)) {
      auto e = std::make_shared<StepEntry>(*entry);
      e->on = on;
      next = next.withStep(std::move(e));
    }
  return next;
}

std::string freeLabel(const Recipe& r, const std::string& label) {
  const auto taken = [&](const std::string& l) {
    return std::any_of(r.steps.begin(), r.steps.end(), [&](const StepPtr& s) { return s->label == l; });
  };
  if (!taken(label)) return label;
  // "Ring 2" goes on to "Ring 3", not to "Ring 2 2".
  std::string base = label;
  if (const auto space = base.rfind(' '); space != std::string::npos && space + 1 < base.size() &&
                                          base.find_first_not_of("0123456789", space + 1) == std::string::npos)
    base.resize(space);
  for (int n = 2;; ++n)
    if (const std::string next = base + " " + std::to_string(n); !taken(next)) return next;
}

void freeMeasurementName(json& inputs, const Recipe& r, const Schema& schema, const Registry& registry) {
  for (const Field& f : schema) {
    if (!f.namesMeasurement) continue;
    std::set<std::string> taken;
    for (const Parameter& p : r.parameters) taken.insert(p.name);
    for (const StepPtr& s : r.steps)
      for (const std::string& n : measuredNames(*s->inputs, registry.schemaOf(s->kind))) taken.insert(n);
    const std::string base = inputs.value(f.key, f.fallback);
    std::string name = base;
    const auto clashes = [&] {
      json tried = inputs;
      tried[f.key] = name;
      const auto names = measuredNames(tried, schema);
      return std::any_of(names.begin(), names.end(), [&](const std::string& n) { return taken.count(n) > 0; });
    };
    for (int n = 2; clashes(); ++n) name = base + std::to_string(n);
    inputs[f.key] = name;
  }
}

} // namespace lumsk::recipe
