#include "recipe/model.h"

#include <algorithm>

namespace lumsk::recipe {

const char* statusName(Status s) {
  switch (s) {
  case Status::Ok: return "ok";
  case Status::Failed: return "failed";
  case Status::Stale: return "stale";
  case Status::Off: return "off";
  }
  return "";
}

const StepResult* Model::result(const std::string& id) const {
  const auto it = results.find(id);
  return it == results.end() ? nullptr : &it->second;
}

bool Model::failed() const {
  if (numbersProblem) return true;
  return std::any_of(results.begin(), results.end(), [](const auto& r) {
    return r.second.status == Status::Failed || r.second.status == Status::Stale;
  });
}

std::string objectId(const std::string& step, const std::string& output) {
  return output.empty() ? step : step + "/" + output;
}

Names Model::namesBefore(const std::string& step) const {
  Names out = numbers;
  for (const StepPtr& s : recipe->steps) {
    if (s->id == step) break;
    if (const StepResult* r = result(s->id); r && r->outcome && r->status == Status::Ok)
      out.insert(r->outcome->measured.begin(), r->outcome->measured.end());
  }
  return out;
}

bool Model::isHidden(const std::string& step, const std::string& output) const {
  return std::find(hidden.begin(), hidden.end(), objectId(step, output)) != hidden.end();
}

void collectBodies(Model& m) {
  m.bodies.clear();
  m.hidden.clear();
  std::map<std::string, std::string> bodyOf; // object id -> body id
  std::map<std::string, BodyEntry> byId;
  std::vector<std::string> order;
  for (const StepPtr& s : m.recipe->steps) {
    const StepResult* r = m.result(s->id);
    if (!r || !r->outcome || r->status == Status::Off) continue;
    for (const std::string& used : r->outcome->usedUp) m.hidden.push_back(used);
    for (const Output& o : r->outcome->outputs) {
      const auto* body = std::get_if<brep::BodyPtr>(&o.object);
      if (!body) continue;
      const std::string object = objectId(s->id, o.name), number = s->id.size() > 1 ? s->id.substr(1) : s->id;
      const auto from = bodyOf.find(o.continues);
      const std::string id = from != bodyOf.end() ? from->second : "b" + number + (o.name.empty() ? "" : "." + o.name);
      bodyOf[object] = id;
      if (!byId.count(id)) order.push_back(id);
      BodyEntry& e = byId[id];
      if (e.id.empty()) e.label = !o.label.empty() ? o.label : s->label + (o.name.empty() ? "" : " " + o.name);
      if (!o.colour.empty()) e.colour = o.colour;
      e.id = id;
      e.step = s->id;
      e.output = o.name;
      e.body = *body;
      e.stale = r->status != Status::Ok;
    }
  }
  for (const std::string& id : order) {
    BodyEntry& e = byId[id];
    if (m.isHidden(e.step, e.output)) continue;
    if (const auto look = m.recipe->looks.find(id); look != m.recipe->looks.end()) {
      if (!look->second.label.empty()) e.label = look->second.label;
      if (!look->second.colour.empty()) e.colour = look->second.colour;
      e.visible = look->second.visible;
      e.opacity = look->second.opacity;
      e.finish = look->second.finish;
      e.density = look->second.density;
      e.faceColours = look->second.faces;
    }
    m.bodies.push_back(e);
  }
}

namespace {

Model cutOff(const Model& m, const std::string& step, bool keepIt) {
  Model out = m;
  bool after = false;
  for (const StepPtr& s : m.recipe->steps) {
    if (after || (!keepIt && s->id == step)) out.results.erase(s->id);
    after = after || s->id == step;
  }
  collectBodies(out);
  return out;
}

} // namespace

Model modelBefore(const Model& m, const std::string& step) { return cutOff(m, step, false); }
Model modelUpTo(const Model& m, const std::string& step) { return cutOff(m, step, true); }

const std::vector<std::pair<std::string, Frame>>& worldPlanes() {
  static const std::vector<std::pair<std::string, Frame>> planes{
      {"top", {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitY()}},
      {"front", {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()}},
      {"side", {Vec3::Zero(), Vec3::UnitY(), Vec3::UnitZ()}}};
  return planes;
}

int curvesIn(const Outcome& o) {
  return int(std::count_if(o.outputs.begin(), o.outputs.end(),
                           [](const Output& x) { return std::holds_alternative<CurvePtr>(x.object); }));
}

std::string pickPart(const Outcome& o, const Output& curve) {
  if (!curve.group.empty()) return curve.group;
  return curve.name.empty() && curvesIn(o) > 1 ? "1" : curve.name;
}

std::vector<std::pair<std::string, Vec3>> pointsOf(const nurbs::Path& p) {
  std::vector<std::pair<std::string, Vec3>> out;
  if (const auto* e = p.wholeEllipse()) out.emplace_back("centre", e->centre);
  out.emplace_back("start", p.start());
  if (!p.closed()) out.emplace_back("end", p.end());
  for (size_t i = 1; i < p.segments().size() && p.segments().size() <= 64; ++i)
    out.emplace_back("t" + std::to_string(i), p.at(double(i)));
  return out;
}

} // namespace lumsk::recipe
