#include "brep/thicken.h"

#include "steps/bodies.h"
#include "steps/zones.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {
      picks("skin", "Body", "The skin to be given a wall, or the solid to be hollowed.", Kind::Skin | Kind::Solid)
          .atMost(1),
      picks("open", "Left open", "Faces of the body that get no wall: the body is open there.", Kind::Face).optional(),
      length("thickness", "Thickness", "Thickness of the wall.", "2").within(0.005, 1000).withHandle(Handle::Distance),
      choice("side", "Side", "Where the material goes, seen from the front of the skin.",
             {{"in", "inward"}, {"out", "outward"}, {"both", "both sides"}}),
      zonesField("Thickness", "Regions with a thickness of their own: rings and drawings, curves and edges from border to border, faces of the "
                              "skin; planes, skins and solids that cross it.")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Picked& pick = in.picked("skin").front();
  const brep::Body& skin = *std::get<brep::BodyPtr>(pick.object);
  const std::string side = in.text("side");
  brep::ThickenOptions o;
  o.thicknessMm = in.number("thickness");
  o.side = side == "in"    ? brep::ThickenSide::Inward
           : side == "out" ? brep::ThickenSide::Outward
                           : brep::ThickenSide::Both;
  o.step = in.stepId();
  for (const Picked& f : in.picked("open")) {
    if (f.objectId() != pick.objectId())
      return fail(problem("LM-T004", "a face that is left open belongs to another body")
                      .inField("open")
                      .tryThis("pick faces of the body that is thickened"));
    o.open.push_back(f.index);
  }
  LUMSK_TRY(zones, zonesIn(in, skin, cx));
  o.zones = std::move(zones);
  auto made = brep::thicken(skin, o, cx);
  if (!made) {
    Problem p = made.error();
    if (p.field.empty()) p.inField(p.code == "LM-T004" ? "open" : "thickness");
    if (p.code == "LM-T001" && p.measured && p.measured->value > 0.02) {
      const std::string fits = formatNumber(p.measured->value * 0.95, 3);
      p.offer({"use " + fits + " mm", "thickness", fits});
    }
    return fail(std::move(p));
  }
  Outcome out;
  out.outputs.push_back({"", made->body, pick.objectId()});
  out.usedUp.push_back(pick.objectId());
  out.notes = made->notes;
  if (const auto at = placeOnFront(skin, 0, cx))
    out.marks.add(HandlePlace{"thickness", at->point, side == "out" ? at->normal : Vec3(-at->normal), side == "both" ? 0.5 : 1.0});
  addZoneHandles(out, o.zones, made->zones, side == "out" ? 1.0 : side == "both" ? -0.5 : -1.0);
  out.summary =
      format(millimetres(o.thicknessMm)) +
      (side == "in"    ? " inward"
       : side == "out" ? " outward"
                       : " both sides") +
      zoneWords(o.zones) + (made->tightestRadiusMm < 1e6 ? " - tightest radius " + format(millimetres(made->tightestRadiusMm), 3) : "");
  return out;
}

} // namespace

Step thicken() { return {"thicken", 1, "Thicken", Stage::Solid, schema, compute}; }

} // namespace lumsk::steps
