#include "recipe/edit_picks.h"

#include "brep/curves_on.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"

#include <algorithm>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

bool isOf(const json& stored, const PickRef& p) {
  return stored.value("step", std::string()) == p.step && stored.value("part", std::string()) == p.part;
}

auto stored(json& list, const PickRef& p) {
  return std::find_if(list.begin(), list.end(), [&](const json& q) { return isOf(q, p); });
}

void append(json& list, const PickRef& p) {
  json item = toInput(p);
  item["id"] = freeItemId(list, "p");
  list.push_back(std::move(item));
}

/// Where on a picked curve or face a place is, as far as the field has others that want to know.
std::vector<double> fractionsOf(const json& pick, const Field& f, const Vec3& place, const Model& model) {
  if (f.placeGoesTo[0].empty()) return {};
  const auto met = follow(pick, f.accepts, model);
  if (!met) return {};
  if (const auto* curve = std::get_if<CurvePtr>(&met->object))
    return {nurbs::ArcLength(**curve).fractionAt(nurbs::closestPoint(**curve, place).t)};
  if (met->kind != Kind::Face || f.placeGoesTo[1].empty()) return {};
  const auto face = brep::BodyFaces::of(*met->body, met->index, {});
  if (!face) return {};
  const Vec2 at = face->fractionsAt(place);
  return {std::clamp(at.x(), 0.0, 1.0), std::clamp(at.y(), 0.0, 1.0)};
}

/// Two digits.
double rounded(double x) {
  const double unit = std::pow(10.0, std::floor(std::log10(x)) - 1);
  return std::round(std::round(x / unit) * unit * 1e9) / 1e9;
}

double shortFraction(double f) { return std::round(f * 1e4) / 1e4; }

} // namespace

bool same(const PickRef& a, const PickRef& b) { return a.kind == b.kind && a.step == b.step && a.part == b.part; }

json toInput(const PickRef& p) {
  json out{{"step", p.step}, {"kind", kindNames(p.kind)}};
  if (!p.part.empty()) out["part"] = p.part;
  if (p.kind == Kind::Edge || p.kind == Kind::Face ||
      (p.kind == Kind::Point && p.part.find('|') != std::string::npos)) {
    const auto list = [](const Vec3& v) { return json{v.x(), v.y(), v.z()}; };
    out["near"] = {{"at", list(p.near.middle)}, {"direction", list(p.near.direction)}};
    if (p.kind == Kind::Face) out["near"]["on"] = list(p.at);
  }
  return out;
}

json inputsWith(const std::vector<PickRef>& picks, const Schema& schema) {
  json inputs = json::object();
  std::vector<PickRef> left = picks;
  for (const Field& f : schema) {
    if (f.kind != FieldKind::Picks || !applies(f, schema, inputs)) continue;
    json list = json::array();
    // The last ones are for fields that need some, too.
    int fitting = int(std::count_if(left.begin(), left.end(), [&](const PickRef& p) { return has(f.accepts, p.kind); }));
    for (const Field& later : schema)
      if (&later > &f && later.kind == FieldKind::Picks && has(f.accepts, later.accepts) && applies(later, schema, inputs))
        fitting -= later.least;
    const int most = std::clamp(fitting, f.least, f.most);
    for (auto it = left.begin(); it != left.end() && int(list.size()) < most;) {
      if (!has(f.accepts, it->kind)) {
        ++it;
        continue;
      }
      append(list, *it);
      it = left.erase(it);
    }
    if (!list.empty()) inputs[f.key] = list;
  }
  return inputs;
}

json curvesAmong(const std::vector<PickRef>& picks) {
  json out = json::array();
  for (const PickRef& p : picks)
    if (has(Kind::Curve | Kind::Edge, p.kind)) append(out, p);
  return out;
}

const Field* otherFieldFor(const StepEntry& entry, const Field& f, const PickRef& pick, const Schema& schema) {
  const Field* others = findField(schema, f.othersGoTo);
  const json list = listAt(entry, f.key);
  const bool elsewhere = others && has(others->accepts, pick.kind) && !list.empty() && list[0]["step"] != pick.step;
  return elsewhere ? others : nullptr;
}

namespace {

/// A name without what a step called the parts that it made of others: "s3.front(A)|s3.rim(B)" is "A|B" before s3.
std::string withoutStep(std::string name, const std::string& step) {
  for (size_t at = 0; (at = name.find(step + ".", at)) != std::string::npos;) {
    const size_t open = name.find('(', at), other = name.find_first_of("|,)", at);
    if ((at > 0 && std::string("|(,:").find(name[at - 1]) == std::string::npos) || open == std::string::npos || other < open) {
      at += step.size();
      continue;
    }
    size_t close = open;
    for (int depth = 0; close < name.size(); ++close)
      if (name[close] == '(') ++depth;
      else if (name[close] == ')' && --depth == 0) break;
    if (close == name.size()) break;
    name = name.substr(0, at) + name.substr(open + 1, close - open - 1) + name.substr(close + 1);
  }
  return name;
}

} // namespace

std::optional<PickRef> beforeStep(const StepEntry& entry, const PickRef& pick, const Model& model) {
  const auto bodyNames = [&](const Output& o) -> const std::vector<std::string>* {
    const auto* body = std::get_if<brep::BodyPtr>(&o.object);
    return !body ? nullptr : pick.kind == Kind::Face ? &(*body)->faceNames : pick.kind == Kind::Edge ? &(*body)->edgeNames : nullptr;
  };
  const StepResult* own = model.result(entry.id);
  if (!own || !own->outcome) return {};
  if (pick.kind == Kind::Skin || pick.kind == Kind::Solid) { // what its body was before
    for (const Output& o : own->outcome->outputs)
      if (o.name == pick.part && !o.continues.empty()) {
        PickRef before = pick;
        const size_t slash = o.continues.find('/');
        before.step = o.continues.substr(0, slash);
        before.part = slash == std::string::npos ? "" : o.continues.substr(slash + 1);
        return before;
      }
    return {};
  }
  std::string name = pick.part;
  bool goesOn = !own->outcome->outputs.empty() && !own->outcome->outputs.front().continues.empty(); // not a copy elsewhere
  for (const Output& o : own->outcome->outputs)
    if (!o.name.empty() && name.rfind(o.name + "/", 0) == 0) name = name.substr(o.name.size() + 1), goesOn = !o.continues.empty();
  std::optional<PickRef> out;
  for (const std::string& meant : {name, goesOn ? withoutStep(name, entry.id) : name})
    forEachReference(*entry.inputs, [&](const json& used) {
      const StepResult* r = model.result(used.value("step", ""));
      if (out || !r || !r->outcome) return;
      for (const Output& o : r->outcome->outputs)
        if (const auto* names = bodyNames(o); names && std::find(names->begin(), names->end(), meant) != names->end()) {
          out = pick;
          out->step = used["step"].get<std::string>();
          out->part = o.name.empty() ? meant : o.name + "/" + meant;
          return;
        }
    });
  return out;
}

namespace {

/// The picks of a JSON value, one by one, to be changed.
void eachPick(json& j, const std::function<void(json&)>& f) {
  if (j.is_object() && j.contains("step") && j["step"].is_string()) f(j);
  if (j.is_structured())
    for (json& child : j) eachPick(child, f);
}

} // namespace

Recipe withPassedOn(const Recipe& r, const std::string& step, const Model& model) {
  Recipe out = r;
  const StepResult* made = model.result(step);
  const int at = r.indexOf(step);
  if (!made || !made->outcome || at < 0) return out;
  for (const Output& o : made->outcome->outputs) {
    if (o.continues.empty()) continue;
    const size_t slash = o.continues.find('/');
    const std::string from = o.continues.substr(0, slash), output = slash == std::string::npos ? "" : o.continues.substr(slash + 1);
    const StepResult* before = model.result(from);
    if (!before || !before->outcome) continue;
    for (size_t i = size_t(at) + 1; i < out.steps.size(); ++i) {
      json inputs = *out.steps[i]->inputs;
      bool changed = false;
      eachPick(inputs, [&](json& pick) {
        if (pick["step"] != from) return;
        std::string part = pick.value("part", "");
        if (!output.empty()) {
          if (part != output && part.rfind(output + "/", 0) != 0) return;
          part = part == output ? "" : part.substr(output.size() + 1);
        } else if (std::any_of(before->outcome->outputs.begin(), before->outcome->outputs.end(), [&](const Output& other) { return !other.name.empty() && (part == other.name || part.rfind(other.name + "/", 0) == 0); })) {
          return; // of another one of them
        }
        pick["step"] = step;
        const std::string now = o.name.empty() ? part : part.empty() ? o.name : o.name + "/" + part;
        if (now.empty()) pick.erase("part");
        else pick["part"] = now;
        changed = true;
      });
      if (!changed) continue;
      StepEntry next = *out.steps[i];
      next.inputs = std::make_shared<const json>(std::move(inputs));
      out.steps[i] = std::make_shared<const StepEntry>(std::move(next));
    }
  }
  return out;
}

int pickedCount(const StepEntry& entry, const std::string& field) { return int(listAt(entry, field).size()); }

StepPtr withPick(const StepEntry& entry, const Field& f, const PickRef& pick, const std::string& replacing,
                 const Model& model) {
  json list = listAt(entry, f.key);
  const auto known = stored(list, pick);
  const bool fresh = known == list.end();
  const auto place = std::find_if(list.begin(), list.end(), [&](const json& p) {
    return !replacing.empty() && p.value("id", std::string()) == replacing;
  });
  if (place != list.end() && fresh) {
    const json value = toInput(pick);
    for (const char* key : {"step", "kind", "part", "near"}) {
      place->erase(key);
      if (value.contains(key)) (*place)[key] = value[key];
    }
  } else if (!fresh) {
    list.erase(known);
  } else {
    const std::string id = freeItemId(list, "p");
    if (int(list.size()) >= f.most) list.erase(list.begin());
    // All curves of a step, or single ones of them: what was meant last counts.
    const auto* result = model.result(pick.step);
    if (result && result->outcome && curvesIn(*result->outcome) > 1 && pick.kind == Kind::Curve)
      list.erase(std::remove_if(list.begin(), list.end(),
                                [&](const json& p) {
                                  return p["step"] == pick.step && p.value("kind", "") == "curve" &&
                                         p.value("part", "").empty() != pick.part.empty();
                                }),
                 list.end());
    list.push_back(toInput(pick));
    list.back()["id"] = id;
  }
  StepPtr next = withInput(entry, f.key, list);
  const auto fractions = fresh ? fractionsOf(toInput(pick), f, pick.at, model) : std::vector<double>{};
  for (size_t k = 0; k < fractions.size(); ++k) next = withInput(*next, f.placeGoesTo[k], shortFraction(fractions[k]));
  return next;
}

StepPtr withPicks(const StepEntry& entry, const Field& f, const std::vector<PickRef>& picks) {
  json list = listAt(entry, f.key);
  for (const PickRef& p : picks)
    if (has(f.accepts, p.kind) && int(list.size()) < f.most && stored(list, p) == list.end()) append(list, p);
  return withInput(entry, f.key, list);
}

namespace {

/// A new step before another one.
std::string insertBefore(Recipe& r, const std::string& before, const Step& kind, json inputs) {
  StepEntry made;
  const std::string id = made.id = "s" + r.newId();
  made.kind = kind.kind;
  made.version = kind.version;
  made.label = freeLabel(r, kind.label);
  made.inputs = std::make_shared<const json>(std::move(inputs));
  r.steps.insert(r.steps.begin() + r.indexOf(before), std::make_shared<const StepEntry>(std::move(made)));
  return id;
}

} // namespace

DrawnStep withMadeByClick(const Recipe& r, const ItemRef& field, const Step& what, const PickRef& from, const std::string& replacing, const Model& model, const Registry& registry) {
  const StepEntry* entry = r.find(field.step);
  const Field* takes = findField(registry.schemaOf(what.kind), what.byClick->picks);
  const Field* wants = entry ? findField(registry.schemaOf(entry->kind), field.field) : nullptr;
  if (!takes || !wants) return {r, {}};
  DrawnStep out{r, {}};
  StepEntry bare;
  bare.inputs = std::make_shared<const json>(json{{what.byClick->key, what.byClick->value}});
  out.step = insertBefore(out.recipe, field.step, what, *withPick(bare, *takes, from, {}, model)->inputs);
  out.recipe = out.recipe.withStep(withPick(*entry, *wants, {out.step, "", what.byClick->makes, {}, Vec3::Zero()}, replacing, model));
  return out;
}

DrawnStep withDrawn(const Recipe& r, const ItemRef& field, const DrawnHere& what, const PickRef& on,
                    const std::optional<PickRef>& body, const Registry& registry) {
  const StepEntry* entry = r.find(field.step);
  const Step* kind = registry.find(what.kind);
  if (!entry || !kind) return {r, {}};
  DrawnStep out{r, {}};
  const Schema& own = registry.schemaOf(what.kind);
  json inputs = inputsWith({on}, own);
  for (const Field& f : own)
    if (f.ofPlace > 0 && on.near.size > 0) inputs[f.key] = rounded(f.ofPlace * on.near.size);
  out.step = insertBefore(out.recipe, field.step, *kind, std::move(inputs));
  json list = listAt(*entry, field.field);
  append(list, {out.step, "", Kind::Curve, {}, Vec3::Zero()});
  StepPtr next = withInput(*entry, field.field, list);
  if (!what.key.empty() && !next->inputs->contains(what.key)) next = withInput(*next, what.key, what.value);
  for (const Field& f : registry.schemaOf(entry->kind)) {
    if (!body || f.kind != FieldKind::Picks || f.least == 0 || !has(f.accepts, body->kind) || pickedCount(*next, f.key) > 0) continue;
    json bodies = json::array();
    append(bodies, *body);
    next = withInput(*next, f.key, bodies);
  }
  out.recipe = out.recipe.withStep(std::move(next));
  return out;
}

Recipe withExtent(const Recipe& r, const ItemRef& ref, const PickRef& pick, const std::string& extent) {
  const StepEntry* entry = r.find(ref.step);
  if (!entry) return r;
  json list = listAt(*entry, ref.field);
  const auto item = stored(list, pick);
  if (item == list.end()) return r;
  (*item)["extent"] = extent;
  return r.withStep(withInput(*entry, ref.field, list));
}

Expected<Picked> pickedBy(const ItemRef& ref, Kind accepts, const StepEntry& entry, const Model& model) {
  for (const json& item : listAt(entry, ref.field))
    if (item.value("id", std::string()) == ref.item) return follow(item, accepts, model);
  return fail(problem("LM-R020", "nothing is picked there").inField(ref.field));
}

Recipe withPlaceOnCurve(const Recipe& r, const ItemRef& ref, const PlaceOnCurve& place) {
  const StepEntry* entry = r.find(ref.step);
  if (!entry) return r;
  json list = listAt(*entry, ref.field);
  for (json& item : list) {
    if (item.value("id", std::string()) != ref.item) continue;
    item[ref.key] = shortFraction(place.fraction);
    item.erase(ref.key + "At");
    if (place.where)
      item[ref.key + "At"] = json::array(
          {{{"id", "m1"}, {"step", place.where->step}, {"kind", "curve"}, {"part", place.where->part}}});
  }
  return r.withStep(withInput(*entry, ref.field, list));
}

} // namespace lumsk::recipe
