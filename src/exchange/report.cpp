#include "exchange/report.h"

#include "inspect/state.h"

#include <nlohmann/json.hpp>

namespace lumsk::exchange {

using nlohmann::json;

namespace {

json list(const Vec3& p) { return {p.x(), p.y(), p.z()}; }

json note(const Problem& p) {
  json n{{"code", p.code}, {"text", sentence(p)}};
  if (!p.where.empty()) n["at_mm"] = list(p.where.front());
  return n;
}

} // namespace

json reportOf(const recipe::BodyEntry& b, const Tolerances& tol) {
  const auto s = inspect::stateOf(*b.body);
  json openings = json::array();
  for (const inspect::Opening& o : s.openings) {
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const Vec3& p : o.outline) low = low.cwiseMin(p), high = high.cwiseMax(p);
    if (o.outline.empty()) continue;
    openings.push_back({{"at_mm", list(0.5 * (low + high))},
                        {"size_mm", list(high - low)},
                        {"length_mm", o.lengthMm},
                        {"edges", o.edges}});
  }
  const auto j = inspect::summarise(inspect::joins(*b.body, tol));
  json out{{"id", b.id},
          {"label", b.label},
          {"kind", s.solid ? "solid" : "skin"},
          {"faces", s.faces},
          {"open_edges", s.openEdges},
          {"valid", s.valid},
          {"volume_mm3", s.volumeMm3},
          {"area_mm2", s.areaMm2},
          {"box_mm", {list(s.boxLow), list(s.boxHigh)}},
          {"control_points", s.controlPoints},
          {"max_edge_tolerance_mm", s.largestToleranceMm},
          {"openings", openings},
          {"joins",
           {{"smooth_edges", j.smoothEdges},
            {"unmeasured_edges", j.unmeasured},
            {"gap_mm", j.gapMm},
            {"angle_deg", j.angleDeg},
            {"curvature_rel", j.curvatureRel},
            {"worst_at_mm", list(j.worstAt)}}}};
  if (s.solid && b.density > 0) out["weight_g"] = b.density * s.volumeMm3 / 1000;
  return out;
}

json reportOf(const recipe::Model& model) {
  json out{{"steps", json::array()}, {"bodies", json::array()}, {"measurements", json::array()}};
  if (model.numbersProblem) out["numbers_problem"] = note(*model.numbersProblem);
  for (const auto& s : model.recipe->steps) {
    const recipe::StepResult* r = model.result(s->id);
    json e{{"id", s->id},           {"kind", s->kind},
           {"label", s->label},     {"status", recipe::statusName(r->status)},
           {"seconds", r->seconds}, {"notes", json::array()},
           {"summary", r->outcome && r->status == recipe::Status::Ok ? r->outcome->summary : ""}};
    if (r->problem) e["notes"].push_back(note(*r->problem));
    if (r->outcome && r->status == recipe::Status::Ok)
      for (const Problem& p : r->outcome->notes) e["notes"].push_back(note(p));
    if (r->outcome && r->status == recipe::Status::Ok)
      for (const auto& [name, q] : r->outcome->measured)
        out["measurements"].push_back(
            {{"name", name}, {"step", s->id}, {"value", q.value}, {"unit", unitName(q.dimension)}});
    out["steps"].push_back(std::move(e));
  }
  for (const auto& b : model.bodies)
    if (!b.stale) out["bodies"].push_back(reportOf(b, model.recipe->tolerances));
  return out;
}

} // namespace lumsk::exchange
