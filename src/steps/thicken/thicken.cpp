#include "brep/thicken.h"

#include "steps/bodies.h"
#include "steps/zones.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace thicken_ {

Schema schema() {
  return {
      picks("skin", "Bodies", "Skins to be given a wall, solids to be hollowed; each for itself.", Kind::Skin | Kind::Solid)
          .eachWith({choice("sized", "Thickness", "As all, or a thickness of its own.", {{"all", "as all"}, {"own", "its own"}}),
                     length("own", "Thickness", "Of this one.", "2").within(0.005, 1000).when("sized", {"own"}).withHandle(Handle::Distance)}),
      picks("open", "Left open", "Faces of the bodies that get no wall: they are open there.", Kind::Face).optional(),
      length("thickness", "Thickness", "Thickness of the wall.", "2").within(0.005, 1000).withHandle(Handle::Distance),
      choice("side", "Side", "Where the material goes, seen from the front of the skin.",
             {{"in", "inward"}, {"out", "outward"}, {"both", "both sides"}}),
      choice("rims", "Rims", "Where the skin is open: in the plane of a flat opening; square to the skin everywhere; or half rounds that stand out.",
             {{"flat", "flat where the opening is"}, {"square", "square to the skin"}, {"round", "rounded"}}),
      zonesField("Thickness", "Regions with a thickness of their own: rings and drawings, curves and edges from border to border, faces of the "
                              "skin; planes, skins and solids that cross it. With a single body.")};
}

bool hasOwn(const Inputs& in, size_t k) { return in.itemText("skin", k, "sized") == "own"; }

/// What the wall of one of the picked bodies is to be like.
Expected<brep::ThickenOptions> optionsOf(const Inputs& in, size_t k, const Context& cx) {
  const auto& bodies = in.picked("skin");
  const std::string side = in.text("side"), rims = in.text("rims");
  brep::ThickenOptions o;
  o.thicknessMm = hasOwn(in, k) ? in.itemNumber("skin", k, "own").value_or(0) : in.number("thickness");
  o.side = side == "in"    ? brep::ThickenSide::Inward
           : side == "out" ? brep::ThickenSide::Outward
                           : brep::ThickenSide::Both;
  o.rims = rims == "round" ? brep::ThickenRims::Round : rims == "square" ? brep::ThickenRims::Square : brep::ThickenRims::Flat;
  o.step = in.stepId();
  for (const Picked& f : in.picked("open")) {
    if (f.objectId() == bodies[k].objectId()) o.open.push_back(f.index);
    if (std::none_of(bodies.begin(), bodies.end(), [&](const Picked& b) { return b.objectId() == f.objectId(); })) {
      Problem other = problem("LM-T004", "a face that is left open belongs to another body").inField("open").tryThis("pick faces of the bodies that are thickened");
      other.item = f.item;
      return fail(std::move(other));
    }
  }
  if (bodies.size() > 1 && !in.picked("zones").empty())
    return fail(problem("LM-T015", "zones belong to one body").inField("zones").tryThis("thicken that body by a step of its own"));
  LUMSK_TRY(zones, zonesIn(in, *std::get<brep::BodyPtr>(bodies[k].object), cx));
  o.zones = std::move(zones);
  return o;
}

/// Names the field, and offers what fits.
Problem explained(Problem p, const Inputs& in, size_t k) {
  const bool own = hasOwn(in, k);
  if (p.field.empty()) p.inField(p.code == "LM-T004" ? "open" : "thickness");
  if (p.field == "thickness" && own) p.inField("skin");
  if (p.item.empty() && (in.picked("skin").size() > 1 || own) && (p.field == "skin" || p.field == "thickness")) p.inField("skin").item = in.picked("skin")[k].item;
  if (p.code == "LM-T001" && p.measured && p.measured->value > 0.02 && !own) {
    const std::string fits = formatNumber(p.measured->value * 0.95, 3);
    p.offer({"use " + fits + " mm", "thickness", fits});
  }
  return p;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string side = in.text("side");
  const auto& bodies = in.picked("skin");
  Outcome out;
  double tightest = 1e300;
  bool shown = false;
  std::vector<brep::ThickenZone> zones;
  for (size_t k = 0; k < bodies.size(); ++k) {
    const brep::Body& skin = *std::get<brep::BodyPtr>(bodies[k].object);
    LUMSK_TRY(o, optionsOf(in, k, cx));
    auto made = brep::thicken(skin, o, cx);
    if (!made) return fail(isCancelled(made.error()) ? made.error() : explained(made.error(), in, k));
    out.outputs.push_back({k == 0 ? "" : bodies[k].item, made->body, bodies[k].objectId()});
    out.usedUp.push_back(bodies[k].objectId());
    out.notes.insert(out.notes.end(), made->notes.begin(), made->notes.end());
    if (const bool own = hasOwn(in, k); own || !shown)
      if (const auto at = placeOnFront(skin, 0, cx)) {
        HandlePlace handle{"thickness", at->point, side == "out" ? at->normal : Vec3(-at->normal), side == "both" ? 0.5 : 1.0};
        if (own) handle.field = "skin", handle.item = bodies[k].item, handle.key = "own";
        else shown = true;
        out.marks.add(std::move(handle));
      }
    addZoneHandles(out, o.zones, made->zones, side == "out" ? 1.0 : side == "both" ? -0.5 : -1.0);
    tightest = std::min(tightest, made->tightestRadiusMm);
    zones = std::move(o.zones);
  }
  out.summary =
      format(millimetres(in.number("thickness"))) +
      (side == "in"    ? " inward"
       : side == "out" ? " outward"
                       : " both sides") +
      (bodies.size() > 1 ? " - " + std::to_string(bodies.size()) + " bodies" : "") + zoneWords(zones) +
      (tightest < 1e6 ? " - tightest radius " + format(millimetres(tightest), 3) : "");
  return out;
}

} // namespace thicken_

Step thicken() { return {"thicken", 1, "Thicken", Stage::Solid, thicken_::schema, thicken_::compute}; }

} // namespace lumsk::steps
