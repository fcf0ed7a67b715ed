#include "recipe/inputs.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "nurbs/curves/curve_refit.h"
#include "recipe/drawing_value.h"
#include "recipe/portion.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

Problem fieldProblem(Problem p, const Field& f) {
  p.what = f.label + ": " + p.what;
  return p.inField(f.key);
}

Expected<double> numberOf(const json& v, const Field& f, const Names& names) {
  double value = 0;
  if (v.is_number()) {
    value = v.get<double>();
  } else {
    auto q = evaluate(v.get<std::string>(), f.dimension, names);
    if (!q) return fail(fieldProblem(q.error(), f));
    value = q->value;
  }
  if (!std::isfinite(value) || value < f.low || value > f.high)
    return fail(fieldProblem(problem("LM-R010", "this number is out of range")
                                 .measure({value, f.dimension})
                                 .tryThis("take " + formatNumber(f.low) + " to " + formatNumber(f.high)),
                             f));
  return value;
}

/// Part of a curve's or body's name space, e.g. a point "start" of a curve or an edge of a body.
Expected<Picked> followPart(Picked out, const Object& object, const json& pick, Kind accepts) {
  const auto missing = [&] {
    return fail(
        problem("LM-R020", "the picked " + kindNames(out.kind) + " is no longer there").tryThis("pick it again"));
  };
  if (const auto* curve = std::get_if<CurvePtr>(&object)) {
    for (const auto& [name, at] : pointsOf(**curve))
      if (name == out.part) {
        out.kind = Kind::Point;
        out.object = PointObject{at};
        out.master = *curve;
        return out;
      }
    return missing();
  }
  const auto* body = std::get_if<brep::BodyPtr>(&object);
  if (!body) return missing();
  const brep::PartKind kind = has(accepts, Kind::Face) && out.kind == Kind::Face ? brep::PartKind::Face
                              : out.kind == Kind::Point                          ? brep::PartKind::Vertex
                                                                                 : brep::PartKind::Edge;
  brep::Signature near;
  const brep::Signature* signature = nullptr;
  if (pick.contains("near") && pick["near"].is_object()) {
    const json& n = pick["near"];
    const auto vec = [&](const char* key) {
      Vec3 v = Vec3::Zero();
      if (n.contains(key) && n[key].is_array() && n[key].size() == 3)
        for (int i = 0; i < 3; ++i) v[i] = n[key][i].is_number() ? n[key][i].get<double>() : 0.0;
      return v;
    };
    near.middle = vec("at");
    near.direction = vec("direction");
    signature = &near;
  }
  const brep::Found found = brep::findPart(**body, kind, out.part, signature);
  if (found.index < 0) return missing();
  out.doubtful = found.doubtful;
  out.body = *body;
  out.index = found.index;
  // What was stored as the kind is only a hint: the part that was found decides.
  out.kind = kind == brep::PartKind::Vertex ? Kind::Point : kind == brep::PartKind::Edge ? Kind::Edge : Kind::Face;
  if (kind == brep::PartKind::Vertex) {
    out.object = PointObject{brep::signatureOf(**body, kind, found.index).middle};
  } else if (kind == brep::PartKind::Edge) {
    const auto path = brep::toPath(brep::edges(**body)[found.index]);
    if (!path) return fail(problem("LM-R021", "this edge cannot be used as a curve").tryThis("pick another edge"));
    out.object = std::make_shared<const nurbs::Path>(*path);
  } else {
    out.object = *body;
  }
  return out;
}

/// Where on a face it was clicked; nothing where that is not known.
std::optional<Vec3> clickedAt(const json& pick) {
  if (!pick.contains("near") || !pick["near"].is_object() || !pick["near"].contains("on")) return {};
  const json& on = pick["near"]["on"];
  if (!on.is_array() || on.size() != 3) return {};
  Vec3 p;
  for (int i = 0; i < 3; ++i) {
    if (!on[i].is_number()) return {};
    p[i] = on[i].get<double>();
  }
  return p;
}

Kind kindOfObject(const Object& o) {
  if (std::holds_alternative<PlaneObject>(o)) return Kind::Plane;
  if (std::holds_alternative<PointObject>(o)) return Kind::Point;
  if (const auto* body = std::get_if<brep::BodyPtr>(&o)) return (*body)->solid() ? Kind::Solid : Kind::Skin;
  return std::holds_alternative<CurvePtr>(o) ? Kind::Curve : Kind::None;
}

Kind kindFromName(const std::string& n) {
  for (Kind k : {Kind::Point, Kind::Curve, Kind::Edge, Kind::Face, Kind::Skin, Kind::Solid, Kind::Plane})
    if (kindNames(k) == n) return k;
  return Kind::None;
}

/// What goes on from a picked edge, where that counts as well, and refitted if that is wanted.
Expected<void> takeExtent(Picked& p, const json& item, const Field& f, const Names& names, const Tolerances& tol) {
  const Field* counts = findField(f.each, "extent");
  const std::string extent = item.contains("extent") && item["extent"].is_string() ? item["extent"].get<std::string>()
                             : counts                                               ? counts->fallback
                                                                                    : "";
  if (p.kind != Kind::Edge || !p.body || (extent != "chain" && extent != "loop")) return {};
  auto path = extent == "chain" ? brep::tangentChain(*p.body, p.index, tol.corner, tol.point) : brep::loopThrough(*p.body, p.index, tol.point);
  if (!path) return fail(path.error());
  if (item.contains("within") && item["within"] != "") {
    LUMSK_TRY(within, numberOf(item["within"], *findField(f.each, "within"), names));
    nurbs::RefitOptions o;
    o.within = {within};
    o.fair = true;
    Context cx;
    cx.tolerances = tol;
    LUMSK_TRY(one, nurbs::refitted(*path, o, cx));
    *path = std::move(one.path);
  }
  p.object = std::make_shared<const nurbs::Path>(std::move(*path));
  return {};
}

/// The part of a picked curve that is meant, if not all of it, and its flags.
Expected<void> takePortion(Picked& p, const json& item, const Field& f, const Names& names, const Tolerances& tol,
                           const Model& model, std::vector<Flag>& flags) {
  auto* curve = std::get_if<CurvePtr>(&p.object);
  if (!curve) return {};
  PortionEnd ends[2];
  const char* keys[2] = {"from", "to"};
  for (int i : {0, 1}) {
    const std::string key = keys[i];
    if (item.contains(key) && !(item[key].is_string() && item[key].get<std::string>().empty())) {
      LUMSK_TRY(v, numberOf(item[key], *findField(f.each, key), names));
      ends[i].fraction = v;
    }
    if (const json at = item.value(key + "At", json::array()); !at.empty()) {
      LUMSK_TRY(met, follow(at[0], findField(f.each, key + "At")->accepts, model));
      ends[i].at = met.object;
    }
  }
  if (!ends[0].given() && !ends[1].given()) return {};
  p.master = *curve;
  auto part = portionOf(*curve, ends[0], ends[1], tol);
  if (!part) return fail(part.error());
  const nurbs::Path& used = *part->curve;
  for (int i : {0, 1}) {
    nurbs::CurveDerivatives d;
    used.derivatives(i == 0 ? 0.0 : std::nextafter(used.last(), 0.0), 1, d);
    Flag flag{f.key, p.item,
              d[0],  (i == 0 ? 1 : -1) * d[1].normalized(),
              true,  formatNumber(100 * (i == 0 ? part->from : part->to), 3) + " %",
              2};
    flag.key = keys[i];
    flags.push_back(std::move(flag));
  }
  *curve = part->curve;
  return {};
}

} // namespace

namespace {

/// The name of an output, or of something it is made of, that a part begins with; empty: it is of another one.
std::string partOwner(const Output& o, const std::string& part) {
  const auto begins = [&](const std::string& name) { return !name.empty() && (part == name || part.rfind(name + "/", 0) == 0); };
  if (begins(o.name)) return o.name;
  const auto it = std::find_if(o.also.begin(), o.also.end(), begins);
  return it == o.also.end() ? std::string() : *it;
}

} // namespace

Expected<Picked> follow(const json& pick, Kind accepts, const Model& model) {
  Picked out;
  out.item = pick.value("id", "");
  out.step = pick.at("step").get<std::string>();
  out.part = pick.value("part", "");
  out.kind = kindFromName(pick.value("kind", ""));
  const auto checked = [&](Picked p) -> Expected<Picked> {
    if (has(accepts, p.kind)) return p;
    return fail(problem("LM-R021", aKind(p.kind) + " cannot be used here").tryThis("pick " + aKind(accepts)));
  };
  if (out.step == "world") {
    for (const auto& [name, frame] : worldPlanes())
      if (name == out.part) {
        out.kind = Kind::Plane;
        out.object = PlaneObject{frame};
        return checked(std::move(out));
      }
    if (out.part == "origin") {
      out.kind = Kind::Point;
      out.object = PointObject{Vec3::Zero()};
      return checked(std::move(out));
    }
    return fail(problem("LM-R020", "there is no such plane").tryThis("pick it again"));
  }
  const StepResult* r = model.result(out.step);
  const StepEntry* entry = model.recipe->find(out.step);
  if (!r || !entry)
    return fail(problem("LM-R020", "the picked object is no longer there, or comes later in the recipe")
                    .tryThis("pick it again"));
  if (r->status == Status::Off)
    return fail(
        problem("LM-R022", "'" + entry->label + "' is switched off").tryThis("switch it on or pick something else"));
  if (r->status != Status::Ok || !r->outcome)
    return fail(problem("LM-R022", "'" + entry->label + "' comes first and has no result").tryThis("mend that step"));
  if (r->outcome->outputs.empty()) return fail(problem("LM-R020", "'" + entry->label + "' makes nothing to pick"));
  const Object* object = &r->outcome->outputs.front().object;
  std::string part = out.part;
  for (const Output& o : r->outcome->outputs)
    if (const std::string own = partOwner(o, part); !own.empty() && (out.output.empty() || o.group != part)) {
      object = &o.object;
      out.output = o.name;
      part = part == own ? "" : part.substr(own.size() + 1);
    }
  if (part == "1" && out.output.empty() && curvesIn(*r->outcome) > 0) part.clear(); // the first of several
  out.part = part;
  const auto named = std::find_if(r->outcome->points.begin(), r->outcome->points.end(), [&](const NamedPoint& p) {
    return p.name == part && p.output == out.output;
  });
  if (named != r->outcome->points.end()) {
    out.kind = Kind::Point;
    out.object = PointObject{named->at};
    if (const auto* curve = std::get_if<CurvePtr>(object)) out.master = *curve;
  } else if (!part.empty()) {
    LUMSK_TRY(found, followPart(out, *object, pick, accepts));
    out = found;
    if (accepts == kPlaneOrFace && out.kind == Kind::Face) {
      const Vec3 near = clickedAt(pick).value_or(brep::signatureOf(*out.body, brep::PartKind::Face, out.index).middle);
      const auto plane = brep::touchingPlane(*out.body, out.index, near);
      if (!plane)
        return fail(problem("LM-R021", "the face has no plane that touches it there").at(near).tryThis("pick it at another place"));
      out.kind = Kind::Plane;
      out.object = PlaneObject{*plane};
    }
  } else {
    out.object = *object;
    out.kind = kindOfObject(*object);
  }
  return checked(std::move(out));
}

namespace {

/// The curves that a part means: without one all, else those of a group; empty: one thing at most.
std::vector<const Output*> curvesMeant(const Outcome& o, const std::string& part) {
  std::vector<const Output*> out;
  for (const Output& x : o.outputs)
    if (std::holds_alternative<CurvePtr>(x.object) && (part.empty() || x.group == part)) out.push_back(&x);
  return out;
}

/// The picks of a field as they are meant: one of a step that makes several curves, without a part, stands for all of
/// them, one of a text for all its outlines, as far as the field takes so many; beside picks of single ones, as older files have it, for the first.
json meantPicks(const json& stored, const Field& f, const Model& model, std::vector<Problem>& notes) {
  json out = json::array();
  int room = f.most - int(stored.size());
  for (size_t i = 0; i < stored.size(); ++i) {
    const json& pick = stored[i];
    const StepResult* r = model.result(pick.value("step", ""));
    const std::string part = pick.value("part", "");
    const auto meant = r && r->outcome ? curvesMeant(*r->outcome, part) : std::vector<const Output*>{};
    const int n = int(meant.size());
    const Kind kind = kindFromName(pick.value("kind", ""));
    const bool single = n < 2 || (kind != Kind::Curve && kind != Kind::None) ||
                        (part.empty() && std::any_of(stored.begin(), stored.end(), [&](const json& other) {
                           return other.value("step", "") == pick.value("step", "") && !other.value("part", "").empty();
                         }));
    if (!single && n - 1 > room) {
      notes.push_back(fieldProblem(problem("LM-R102", "pick " + std::to_string(i + 1) + " is of a step that makes " +
                                                          std::to_string(n) + " curves: only the first counts here")
                                       .tryThis("pick the one that is meant in the view"),
                                   f));
      notes.back().item = pick.value("id", "");
    }
    if (single || n - 1 > room) {
      out.push_back(pick);
      continue;
    }
    room -= n - 1;
    for (const Output* o : meant) {
      out.push_back(pick);
      out.back()["part"] = o->group.empty() ? pickPart(*r->outcome, *o) : o->name;
    }
  }
  return out;
}

} // namespace

const std::vector<Picked>& Inputs::picked(const std::string& key) const {
  static const std::vector<Picked> none;
  const auto it = picked_.find(key);
  return it == picked_.end() ? none : it->second;
}

double Inputs::number(const std::string& key) const { return values_->at(key).get<double>(); }
int Inputs::integer(const std::string& key) const { return int(std::lround(number(key))); }
bool Inputs::on(const std::string& key) const { return values_->at(key).get<bool>(); }
std::string Inputs::text(const std::string& key) const { return values_->at(key).get<std::string>(); }
bool Inputs::has(const std::string& key) const { return values_->contains(key); }

std::optional<double> Inputs::itemNumber(const std::string& key, size_t index, const std::string& subKey) const {
  const json& item = values_->at(key).at(index);
  const auto it = item.find(subKey);
  return it != item.end() && it->is_number() ? std::optional(it->get<double>()) : std::nullopt;
}

std::vector<std::pair<double, double>> Inputs::graph(const std::string& key) const {
  std::vector<std::pair<double, double>> out;
  for (const GraphRow& r : graphRows(key)) out.emplace_back(r.at, r.value);
  return out;
}

std::vector<Inputs::GraphRow> Inputs::graphRows(const std::string& key) const {
  const auto it = graphs_.find(key);
  return it == graphs_.end() ? std::vector<GraphRow>() : it->second;
}

std::vector<double> Inputs::column(const std::string& key, const std::string& columnKey) const {
  std::vector<double> out;
  for (const json& row : values_->at(key))
    if (row.contains(columnKey) && row[columnKey].is_number()) out.push_back(row[columnKey].get<double>());
  return out;
}

std::vector<std::string> Inputs::texts(const std::string& key, const std::string& columnKey) const {
  std::vector<std::string> out;
  for (const json& row : values_->at(key)) out.push_back(row.contains(columnKey) && row[columnKey].is_string() ? row[columnKey].get<std::string>() : "");
  return out;
}

std::vector<std::string> Inputs::rowIds(const std::string& key) const {
  std::vector<std::string> out;
  for (const json& row : values_->at(key)) out.push_back(row.value("id", ""));
  return out;
}

bool Inputs::itemOn(const std::string& key, size_t index, const std::string& subKey) const {
  const json& item = values_->at(key).at(index);
  const auto it = item.find(subKey);
  return it != item.end() && it->is_boolean() && it->get<bool>();
}

std::string Inputs::itemText(const std::string& key, size_t index, const std::string& subKey) const {
  const json& item = values_->at(key).at(index);
  const auto it = item.find(subKey);
  return it != item.end() && it->is_string() ? it->get<std::string>() : std::string();
}

Frame Inputs::plane(const std::string& key, const Frame& fallback) const {
  const auto& p = picked(key);
  return p.empty() ? fallback : std::get<PlaneObject>(p.front().object).frame;
}

std::string Inputs::fileName(const std::string& key) const { return values_->at(key).value("name", ""); }
std::string Inputs::fileHash(const std::string& key) const {
  const std::string hash = values_->at(key).value("hash", "");
  return hash.substr(hash.find(':') + 1);
}

const std::string* Inputs::file(const std::string& key) const {
  const auto it = files_.find(key);
  return it == files_.end() ? nullptr : it->second.get();
}

/// Makes the fields of one step ready, each kind in its own way.
class Inputs::Resolver {
public:
  Resolver(const StepEntry& entry, const Schema& schema, const Recipe& recipe, const Names& names, const Model& model)
      : entry_(entry), schema_(schema), recipe_(recipe), names_(names), model_(model), self_(recipe.indexOf(entry.id)) {
    in_.stepId_ = entry.id;
    in_.names_ = names;
  }

  Expected<Inputs> run() {
    for (const Field& f : schema_) {
      if (!applies(f, schema_, *entry_.inputs)) continue;
      LUMSK_CHECK(take(f, entry_.inputs->contains(f.key) ? (*entry_.inputs)[f.key] : defaultValue(f)));
    }
    placePoints();
    in_.values_ = std::make_shared<const json>(std::move(values_));
    in_.fingerprint_ = print_.dump(-1, ' ', false, json::error_handler_t::replace);
    return std::move(in_);
  }

private:
  Expected<void> take(const Field& f, const json& stored) {
    switch (f.kind) {
    case FieldKind::Quantity: return quantity(f, stored);
    case FieldKind::Points: return points(f, stored);
    case FieldKind::Picks: return picks(f, stored);
    case FieldKind::Table: return table(f, stored);
    case FieldKind::Graph: return graph(f, stored);
    case FieldKind::File: return file(f, stored);
    case FieldKind::Drawing: return drawing(f, stored);
    default: values_[f.key] = print_[f.key] = stored; return {};
    }
  }

  Expected<void> quantity(const Field& f, const json& stored) {
    LUMSK_TRY(v, numberOf(stored, f, names_));
    values_[f.key] = print_[f.key] = v;
    return {};
  }

  Expected<void> points(const Field& f, const json& stored) {
    Points p(Eigen::Index(stored.size()), 3);
    const Field coordinate = length(f.key, f.label, "", "0");
    for (size_t i = 0; i < stored.size(); ++i)
      for (int k = 0; k < 3; ++k) {
        auto v = numberOf(stored[i]["at"][size_t(k)], coordinate, names_);
        if (!v) {
          v.error().what = "point " + std::to_string(i + 1) + ": " + v.error().what;
          return fail(v.error());
        }
        p(Eigen::Index(i), k) = *v;
      }
    values_[f.key] = stored;
    json numbers = json::array();
    for (Eigen::Index i = 0; i < p.size(); ++i) numbers.push_back(p.data()[i]);
    print_[f.key] = numbers;
    in_.points_[f.key] = std::move(p);
    return {};
  }

  Expected<void> picks(const Field& f, const json& stored) {
    if (int(stored.size()) < f.least)
      return fail(fieldProblem(
          problem("LM-R012", f.least == 1 ? "pick " + aKind(f.accepts) : "pick at least " + std::to_string(f.least))
              .isMissing(),
          f));
    if (int(stored.size()) > f.most)
      return fail(fieldProblem(problem("LM-R012", "only " + std::to_string(f.most) + " can be picked"), f));
    values_[f.key] = print_[f.key] = json::array();
    const json meant = meantPicks(stored, f, model_, in_.notes);
    for (size_t i = 0; i < meant.size(); ++i) LUMSK_CHECK(pick(f, meant, i));
    return {};
  }

  Expected<void> pick(const Field& f, const json& meant, size_t i) {
    json item = meant[i];
    const std::string id = item["step"].get<std::string>();
    if (id != "world" && recipe_.indexOf(id) >= self_ && self_ >= 0)
      return fail(fieldProblem(
          problem("LM-R023", "a step can only use what comes before it").tryThis("move this step further down"), f));
    auto p = follow(item, f.accepts, model_);
    if (!p) {
      if (meant.size() > 1) p.error().what = std::to_string(i + 1) + ". " + p.error().what;
      p.error().item = item["id"].get<std::string>();
      return fail(fieldProblem(p.error(), f));
    }
    if (p->doubtful) {
      in_.notes.push_back(fieldProblem(
          problem("LM-R101", "pick " + std::to_string(i + 1) + " was found again by its shape or its place")
              .tryThis("check it, or click its chip and pick it again"),
          f));
      in_.notes.back().item = p->item;
    }
    if (auto whole = takeExtent(*p, item, f, names_, recipe_.tolerances); !whole) {
      whole.error().item = p->item;
      return fail(fieldProblem(whole.error(), f));
    }
    if (auto part = takePortion(*p, item, f, names_, recipe_.tolerances, model_, in_.flags); !part) {
      part.error().item = p->item;
      return fail(fieldProblem(part.error(), f));
    }
    json key{{"part", p->part}, {"output", p->output}, {"made", id == "world" ? id : model_.result(id)->key}};
    if (f.accepts == kPlaneOrFace && item.contains("near") && item["near"].contains("on")) key["on"] = item["near"]["on"];
    LUMSK_CHECK(subFields(f, item, key));
    print_[f.key].push_back(std::move(key));
    values_[f.key].push_back(std::move(item));
    in_.picked_[f.key].push_back(std::move(*p));
    return {};
  }

  Expected<void> subFields(const Field& f, json& item, json& key) const {
    for (const Field& s : f.each) {
      if (!item.contains(s.key)) continue;
      if (s.kind == FieldKind::Quantity) {
        if (item[s.key].is_string() && item[s.key].get<std::string>().empty()) {
          item.erase(s.key);
          continue;
        }
        LUMSK_TRY(v, numberOf(item[s.key], s, names_));
        item[s.key] = v;
      }
      key[s.key] = item[s.key];
      if (s.kind != FieldKind::Picks) continue;
      for (const json& q : item[s.key])
        if (const StepResult* r = model_.result(q.value("step", ""))) key[s.key].push_back(r->key);
    }
    return {};
  }

  Expected<void> table(const Field& f, const json& stored) {
    json rows = stored;
    for (json& row : rows)
      for (const Field& c : f.columns) {
        if (c.kind != FieldKind::Quantity) continue;
        LUMSK_TRY(v, numberOf(row.contains(c.key) ? row[c.key] : json(c.fallback), c, names_));
        row[c.key] = v;
      }
    values_[f.key] = print_[f.key] = std::move(rows);
    return {};
  }

  Expected<void> graph(const Field& f, const json& stored) {
    const Field place = ratioField(f.key, f.label, "", "0").within(0, 1);
    auto& rows = in_.graphs_[f.key];
    json numbers = json::array();
    for (const json& row : stored) {
      LUMSK_TRY(at, numberOf(row["at"], place, names_));
      LUMSK_TRY(v, numberOf(row["value"], f, names_));
      rows.push_back({row.value("id", ""), at, v});
      numbers.push_back({at, v});
    }
    std::sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return std::pair(a.at, a.value) < std::pair(b.at, b.value); });
    values_[f.key] = stored;
    print_[f.key] = numbers;
    return {};
  }

  /// Where a number stands does not count for what comes out.
  Expected<void> drawing(const Field& f, const json& stored) {
    auto d = drawingFrom(stored, names_);
    if (!d) return fail(d.error().inField(f.key));
    values_[f.key] = stored;
    json& print = print_[f.key] = stored;
    if (print.contains("relations"))
      for (size_t i = 0; i < print["relations"].size(); ++i) {
        print["relations"][i].erase("place");
        print["relations"][i]["value"] = d->relations[i].value;
      }
    in_.drawings_[f.key] = std::make_shared<const drawing::Drawing>(std::move(*d));
    return {};
  }

  Expected<void> file(const Field& f, const json& stored) {
    values_[f.key] = print_[f.key] = stored;
    if (stored.empty()) return {};
    const auto it = recipe_.imports.find(stored["hash"].get<std::string>());
    if (it == recipe_.imports.end())
      return fail(fieldProblem(
          problem("LM-R013", "the file '" + stored["name"].get<std::string>() + "' is missing from the project")
              .tryThis("choose it again"),
          f));
    in_.files_[f.key] = it->second;
    return {};
  }

  /// Points on a picked plane are given in its frame.
  void placePoints() {
    for (const Field& f : schema_)
      if (f.kind == FieldKind::Points && !f.planeField.empty() && !in_.picked(f.planeField).empty() &&
          in_.points_.count(f.key)) {
        const Frame frame = in_.plane(f.planeField, {});
        Points& p = in_.points_[f.key];
        for (Eigen::Index i = 0; i < p.rows(); ++i) p.row(i) = frame.at(p(i, 0), p(i, 1), 0.0).transpose();
      }
  }

  const StepEntry& entry_;
  const Schema& schema_;
  const Recipe& recipe_;
  const Names& names_;
  const Model& model_;
  int self_;
  Inputs in_;
  json print_ = json::object(), values_ = json::object();
};

Expected<Inputs> Inputs::resolve(const StepEntry& entry, const Schema& schema, const Recipe& recipe, const Names& names,
                                 const Model& model) {
  if (const std::string e = shapeError(schema, *entry.inputs); !e.empty())
    return fail(problem("LM-R011", "the stored inputs are damaged: " + e).tryThis("drop this step and make it again"));
  return Resolver(entry, schema, recipe, names, model).run();
}

} // namespace lumsk::recipe
