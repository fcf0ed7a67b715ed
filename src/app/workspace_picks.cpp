#include "app/words.h"
#include "app/workspace.h"
#include "brep/curves_on.h"
#include "nurbs/arc_length.h"
#include "nurbs/closest.h"

#include <nlohmann/json.hpp>

#include <algorithm>

// What is picked in the view: into the fields of the open step, or for later.

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;
using recipe::Kind;

void Workspace::turnItem(const std::string& step, const std::string& key, const std::string& item, int group,
                         const std::string& subKey) {
  const auto* entry = now_->find(step);
  const Field* field = entry ? recipe::findField(registry_.schemaOf(entry->kind), key) : nullptr;
  if (!field) return;
  if (field->kind == FieldKind::Choice) { // a flag of the step itself: the next option
    const std::string now = entry->inputs->value(key, field->fallback);
    for (size_t i = 0; i < field->options.size(); ++i)
      if (field->options[i].key == now)
        return setInput(step, key, field->options[(i + 1) % field->options.size()].key,
                        tr("change %1").arg(said(field->label).toLower()));
    return;
  }
  const auto sub = std::find_if(field->each.begin(), field->each.end(), [&](const Field& f) {
    return subKey.empty() ? f.kind == FieldKind::Switch || f.kind == FieldKind::Choice : f.key == subKey;
  });
  if (sub == field->each.end()) return;
  json list = entry->inputs->value(key, json::array());
  for (json& i : list) {
    if (i["id"] != item) continue;
    if (sub->kind == FieldKind::Switch) {
      i[sub->key] = !i.value(sub->key, false);
    } else {
      const auto options = recipe::optionsFor(*sub, i);
      const std::string now = i.value(sub->key, sub->fallback.empty() ? options[0].key : sub->fallback);
      size_t next = 0;
      if (sub->options[0].key == "auto")
        next = now == "auto" ? 1 + size_t(std::max(0, group)) % (options.size() - 1) : 0;
      else
        for (size_t k = 0; k < options.size(); ++k)
          if (options[k].key == now) next = (k + 1) % options.size();
      i[sub->key] = options[next].key;
    }
  }
  setInput(step, key, list, tr("change %1").arg(said(sub->label).toLower()));
}

json Workspace::pickValue(const scene::Hit& h) {
  json p{{"step", h.step}, {"kind", recipe::kindNames(h.kind)}};
  if (!h.part.empty()) p["part"] = h.part;
  if (h.kind == Kind::Edge || h.kind == Kind::Face ||
      (h.kind == Kind::Point && h.part.find('|') != std::string::npos)) {
    const auto list = [](const Vec3& v) { return json{v.x(), v.y(), v.z()}; };
    p["near"] = {{"at", list(h.near.middle)}, {"direction", list(h.near.direction)}};
  }
  return p;
}

void Workspace::replace(const std::string& step, const std::string& field, const std::string& item) {
  const bool again = replacing_ == item && open_ == step && field_ == field;
  unfold(step, field);
  replacing_ = again ? "" : item;
  runner_.request(now_, false, replacing_.empty() ? "" : step); // only what comes before can be picked
  emit focusChanged();
}

namespace {

/// Where on a picked curve or face a place is, as far as the field has others that want to know.
std::vector<double> fractionsOf(const json& pick, const Field& f, const Vec3& place, const recipe::Model& model) {
  if (f.placeGoesTo[0].empty()) return {};
  const auto met = recipe::follow(pick, f.accepts, model);
  if (!met) return {};
  if (const auto* curve = std::get_if<recipe::CurvePtr>(&met->object))
    return {nurbs::ArcLength(**curve).fractionAt(nurbs::closestPoint(**curve, place).t)};
  if (met->kind != Kind::Face || f.placeGoesTo[1].empty()) return {};
  const auto face = brep::BodyFaces::of(*met->body, met->index, {});
  if (!face) return {};
  const Vec2 at = face->fractionsAt(place);
  return {std::clamp(at.x(), 0.0, 1.0), std::clamp(at.y(), 0.0, 1.0)};
}

} // namespace

void Workspace::pick(const scene::Hit& hit, bool toggle) {
  const auto* entry = now_->find(open_);
  const Field* f = activeField();
  if (entry && f && f->kind == FieldKind::Picks && recipe::has(f->accepts, hit.kind)) {
    json list = entry->inputs->value(f->key, json::array());
    const json value = pickValue(hit);
    const Field* others = recipe::findField(registry_.schemaOf(entry->kind), f->othersGoTo);
    if (others && recipe::has(others->accepts, hit.kind) && replacing_.empty() && !list.empty() &&
        list[0]["step"] != value["step"]) {
      unfold(open_, others->key);
      return pick(hit, toggle);
    }
    const auto is = [&](const json& p) {
      return p["step"] == value["step"] && p.value("part", "") == value.value("part", "");
    };
    const auto known = std::find_if(list.begin(), list.end(), is);
    const bool fresh = known == list.end();
    const auto place =
        std::find_if(list.begin(), list.end(), [&](const json& p) { return p.value("id", "") == replacing_; });
    if (!replacing_.empty() && place != list.end() && fresh) {
      for (const char* key : {"step", "kind", "part", "near"}) {
        place->erase(key);
        if (value.contains(key)) (*place)[key] = value[key];
      }
    } else if (!fresh) {
      list.erase(known);
    } else {
      if (int(list.size()) >= f->most) list.erase(list.begin());
      int n = 1; // above all that are there: an id that was let go must not come back as another thing
      for (const json& p : list)
        if (const std::string id = p.value("id", ""); id.size() > 1) n = std::max(n, std::atoi(id.c_str() + 1) + 1);
      // All curves of a step, or single ones of them: what was meant last counts.
      if (curvesOf(hit.step) > 1 && hit.kind == Kind::Curve)
        list.erase(std::remove_if(list.begin(), list.end(),
                                  [&](const json& p) {
                                    return p["step"] == value["step"] && p.value("kind", "") == "curve" &&
                                           p.value("part", "").empty() != hit.part.empty();
                                  }),
                   list.end());
      json p = value;
      p["id"] = "p" + std::to_string(n);
      list.push_back(p);
    }
    replacing_.clear();
    auto next = recipe::withInput(*entry, f->key, list);
    const std::vector<double> fractions = fresh ? fractionsOf(value, *f, hit.at, *model()) : std::vector<double>{};
    for (size_t k = 0; k < fractions.size(); ++k)
      next = recipe::withInput(*next, f->placeGoesTo[k], std::round(fractions[k] * 1e4) / 1e4);
    edit(now_->withStep(next), tr("pick"));
    if (f->most == 1) chooseField();
    emit focusChanged();
    return;
  }
  const auto known =
      std::find_if(selection_.begin(), selection_.end(), [&](const scene::Hit& h) { return scene::same(h, hit); });
  const bool had = known != selection_.end();
  if (had) selection_.erase(known);
  if (!toggle && !(had && selection_.empty())) selection_.clear();
  if (!had) selection_.push_back(hit);
  emit focusChanged();
}

int Workspace::curvesOf(const std::string& step) const {
  const auto* r = model() ? model()->result(step) : nullptr;
  return r && r->outcome ? recipe::curvesIn(*r->outcome) : 0;
}

void Workspace::clearSelection() {
  selection_.clear();
  emit focusChanged();
}

void Workspace::pickAll(const std::vector<scene::Hit>& hits) {
  const Field* f = activeField();
  if (f && f->kind == FieldKind::Picks) {
    const auto* entry = now_->find(open_);
    json list = entry->inputs->value(f->key, json::array());
    int n = 1;
    for (const json& p : list)
      if (const std::string id = p.value("id", ""); id.size() > 1) n = std::max(n, std::atoi(id.c_str() + 1) + 1);
    for (const scene::Hit& h : hits) {
      json p = pickValue(h);
      const bool known = std::any_of(list.begin(), list.end(), [&](const json& q) {
        return q["step"] == p["step"] && q.value("part", "") == p.value("part", "");
      });
      if (known || !recipe::has(f->accepts, h.kind) || int(list.size()) >= f->most) continue;
      p["id"] = "p" + std::to_string(n++);
      list.push_back(std::move(p));
    }
    setInput(open_, f->key, list, tr("pick"));
  } else {
    for (const scene::Hit& h : hits)
      if (std::none_of(selection_.begin(), selection_.end(), [&](const auto& s) { return scene::same(s, h); }))
        selection_.push_back(h);
  }
  emit focusChanged();
}

void Workspace::pickChain(const scene::Hit& edge, const std::vector<scene::Hit>& chain) {
  const Field* f = activeField();
  const Field* extent = f ? recipe::findField(f->each, "extent") : nullptr;
  if (!extent || !recipe::has(f->accepts, Kind::Edge)) return pickAll(chain);
  pickAll({edge});
  const json wanted = pickValue(edge);
  json list = now_->find(open_)->inputs->value(f->key, json::array());
  for (json& p : list)
    if (p["step"] == wanted["step"] && p.value("part", "") == wanted.value("part", "")) p["extent"] = "chain";
  setInput(open_, f->key, list, tr("pick"));
}

void Workspace::endReplacing() {
  if (replacing_.empty()) return;
  replacing_.clear();
  shownAsOf_ = asOf();
  runner_.request(now_, false, {}, shownAsOf_);
}

} // namespace lumsk::app
