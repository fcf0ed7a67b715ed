#include "recipe/edit_points.h"

namespace lumsk::recipe {

using nlohmann::json;

std::optional<PointsPlace> placeOf(const StepEntry& entry, const Field& f, const Model& model) {
  if (const auto* r = model.result(entry.id); r && r->outcome)
    for (const auto& p : r->outcome->marks.all<PointsPlace>())
      if (p.field == f.key) return p;
  const json planes = f.planeField.empty() ? json::array() : listAt(entry, f.planeField);
  if (planes.empty()) return {};
  const auto p = follow(planes[0], kPlaneOrFace, model);
  if (!p) return {};
  return PointsPlace{f.key, std::get<PlaneObject>(p->object).frame, 1.0};
}

namespace {

std::optional<Vec3> coordinatesOf(const json& point, const Names& names) {
  Vec3 p;
  for (size_t k = 0; k < 3; ++k) {
    const auto v = numberOf(point["at"][k], Dimension::Length, names);
    if (!v || !std::isfinite(*v)) return {};
    p[Eigen::Index(k)] = *v;
  }
  return p;
}

/// As they are stored: round numbers unless the place was snapped to.
json stored(const std::optional<PointsPlace>& place, const PointedAt& to) {
  Vec3 p = place ? place->fromWorld(to.world) : to.world;
  if (place) p.z() = 0;
  const double grid = to.snapped ? 1e7 : place && place->mmPerUnit != 1.0 ? 1e5 : 1e2; // per unit
  const auto tidy = [&](double v) { return std::round(v * grid) / grid + 0.0; };
  return {tidy(p.x()), tidy(p.y()), tidy(p.z())};
}

/// Ends near the point `item` are square to the mirror plane where they start from it.
void squareEnds(json& inputs, const StepEntry& entry, const Field& f, const std::string& item, const PointsIn& in,
                const Tolerances& tolerances) {
  const json& points = inputs[f.key];
  const Schema& schema = in.registry.schemaOf(entry.kind);
  Frame mirror = worldPlanes().back().second;
  if (const json picked = inputs.value(f.mirrorField, json::array()); !picked.empty())
    if (const auto p = follow(picked[0], Kind::Plane, in.model)) mirror = std::get<PlaneObject>(p->object).frame;
  const auto place = placeOf(entry, f, in.model);
  const auto inMirror = [&](const json& point) {
    const auto p = coordinatesOf(point, in.names);
    return p && std::abs(mirror.local(place ? place->toWorld(*p) : *p).z()) <= tolerances.point.mm;
  };
  const size_t n = points.size();
  for (size_t end = 0; end < 2 && n >= 2; ++end) {
    const json &point = points[end ? n - 1 : 0], &next = points[end ? n - 2 : 1];
    const Field* choice = findField(schema, f.endFields[end]);
    if (!choice || !applies(*choice, schema, inputs) || (point["id"] != item && next["id"] != item)) continue;
    const bool square = inMirror(point) && !inMirror(next);
    const std::string now = inputs.value(choice->key, "free");
    if (square && now == "free") inputs[choice->key] = "perpendicular";
    if (!square && now == "perpendicular") inputs[choice->key] = "free";
  }
}

Recipe withPoints(const Recipe& r, const StepEntry& entry, const Field& f, json points, const std::string& item,
                  const PointsIn& in) {
  json inputs = *entry.inputs;
  inputs[f.key] = std::move(points);
  squareEnds(inputs, entry, f, item, in, r.tolerances);
  auto changed = std::make_shared<StepEntry>(entry);
  changed->inputs = std::make_shared<const json>(std::move(inputs));
  return r.withStep(std::move(changed));
}

} // namespace

std::vector<std::pair<std::string, std::optional<Vec3>>> pointsOf(const StepEntry& entry, const std::string& field,
                                                                  const Names& names) {
  std::vector<std::pair<std::string, std::optional<Vec3>>> out;
  for (const json& point : listAt(entry, field))
    out.emplace_back(point["id"].get<std::string>(), coordinatesOf(point, names));
  return out;
}

Recipe withNewPoint(const Recipe& r, const ItemRef& ref, const PointedAt& to, const PointsIn& in) {
  const Field* f = fieldOf(ref, r, in.registry);
  if (!f || f->kind != FieldKind::Points) return r;
  const StepEntry& entry = *r.find(ref.step);
  json list = listAt(entry, ref.field);
  const std::string id = freeItemId(list, "q");
  list.push_back({{"id", id}, {"at", stored(placeOf(entry, *f, in.model), to)}});
  return withPoints(r, entry, *f, std::move(list), id, in);
}

Recipe withPointAt(const Recipe& r, const ItemRef& ref, const PointedAt& to, const PointsIn& in) {
  const Field* f = fieldOf({ref.step, ref.field}, r, in.registry);
  if (!f || f->kind != FieldKind::Points) return r;
  const StepEntry& entry = *r.find(ref.step);
  json list = listAt(entry, ref.field);
  for (json& p : list)
    if (p["id"] == ref.item) p["at"] = stored(placeOf(entry, *f, in.model), to);
  return withPoints(r, entry, *f, std::move(list), ref.item, in);
}

} // namespace lumsk::recipe
