#include "recipe/linked_things.h"

#include "brep/curves_on.h"
#include "nurbs/measure/closest.h"

#include <algorithm>

namespace lumsk::recipe {

using drawing::Drawing;
using nlohmann::json;

namespace {

bool onePlane(const Frame& a, const Frame& b) { return a.origin == b.origin && a.x == b.x && a.y == b.y; }

/// Where the plane cuts a body or one of its faces, or its outline as seen square to the plane.
Expected<std::vector<nurbs::Path>> pathsOn(const brep::Body& body, int face, bool outline, const Frame& plane, const Context& cx) {
  LUMSK_TRY(faces, brep::BodyFaces::of(body, face, cx));
  auto found = outline ? faces.silhouette(plane.normal(), cx) : faces.cutBy(plane, cx);
  if (!found) return fail(std::move(found.error()));
  if (found->curves.empty())
    return fail(problem("LM-U033", outline ? "what is linked has no outline as seen from this plane" : "the drawing's plane does not cut what is linked")
                    .at(plane.origin)
                    .tryThis(outline ? "take its section" : "take its outline"));
  return std::move(found->curves);
}

} // namespace

Expected<drawing::Link> LinkedThings::one(const Picked& p, const std::string& as, const Frame& plane, const Context& cx) {
  if (const auto* curve = std::get_if<CurvePtr>(&p.object)) return drawing::Link{p.item, {**curve}};
  if (const auto* point = std::get_if<PointObject>(&p.object)) return drawing::Link{p.item, {}, point->at};
  const auto* body = std::get_if<brep::BodyPtr>(&p.object);
  if (!body) return fail(problem("LM-U033", "this cannot be drawn in a drawing").at(plane.origin).tryThis("take it out of the links"));
  const int face = p.kind == Kind::Face ? p.index : -1;
  Known& k = known_[p.item];
  if (k.body == *body && k.index == face && k.as == as && onePlane(k.plane, plane)) return k.link;
  LUMSK_TRY(paths, pathsOn(**body, face, as == "outline", plane, cx));
  k = {*body, face, as, plane, {p.item, std::move(paths)}};
  return k.link;
}

Expected<std::vector<drawing::Link>> LinkedThings::of(const Inputs& in, const std::string& field, const Frame& plane, const Context& cx) {
  std::vector<drawing::Link> out;
  for (size_t i = 0; i < in.picked(field).size(); ++i) {
    const Picked& p = in.picked(field)[i];
    auto link = one(p, in.itemText(field, i, "as"), plane, cx);
    if (!link) {
      link.error().item = p.item;
      return fail(std::move(link.error().inField(field)));
    }
    // One pick may mean several curves.
    const auto known = std::find_if(out.begin(), out.end(), [&](const drawing::Link& l) { return l.id == link->id; });
    if (known == out.end())
      out.push_back(std::move(*link));
    else
      known->paths.insert(known->paths.end(), link->paths.begin(), link->paths.end());
  }
  return out;
}

Expected<Drawing> linkedDrawing(const Drawing& d, const StepEntry& entry, const Schema& schema, const std::string& links,
                                const Frame& plane, const Model& model, LinkedThings& known) {
  json inputs = *entry.inputs;
  for (const Field& f : schema)
    if (f.kind == FieldKind::Drawing) inputs.erase(f.key);
  StepEntry alone = entry;
  alone.inputs = std::make_shared<const json>(std::move(inputs));
  LUMSK_TRY(in, Inputs::resolve(alone, schema, *model.recipe, model.namesBefore(entry.id), model));
  Context cx;
  cx.tolerances = model.recipe->tolerances;
  LUMSK_TRY(list, known.of(in, links, plane, cx));
  return drawing::withLinks(d, list, plane, cx);
}

std::string curveBelow(const PickRef& edge, const Model& model) {
  constexpr int kLooks = 12;
  const auto p = follow(toInput(edge), Kind::Edge, model);
  const auto* path = p ? std::get_if<CurvePtr>(&p->object) : nullptr;
  if (!path) return {};
  const auto below = [&](const nurbs::Path& curve) {
    for (int i = 0; i <= kLooks; ++i)
      if (nurbs::closestPoint(curve, (*path)->at((*path)->last() * i / kLooks)).distanceMm > model.recipe->tolerances.point.mm) return false;
    return true;
  };
  for (const auto& s : model.recipe->steps) {
    const StepResult* r = model.result(s->id);
    if (!r || r->status != Status::Ok) continue;
    for (const Output& o : r->outcome->outputs)
      if (const auto* curve = std::get_if<CurvePtr>(&o.object); curve && below(**curve)) return s->label;
  }
  return {};
}

} // namespace lumsk::recipe
