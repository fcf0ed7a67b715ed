#include "brep/offset/offset_body.h"
#include "steps/bodies.h"
#include "steps/zones.h"

namespace lumsk::steps {

using namespace recipe;

namespace offset_ {

Schema schema() {
  return {
      picks("of", "Of", "Skins and solids, or single faces of them.", Kind::Skin | Kind::Solid | Kind::Face).prefer(Kind::Skin | Kind::Solid),
      length("distance", "Distance", "From the picked ones, outwards; less than nought: inwards; nought: a copy.", "1")
          .within(-1000, 1000)
          .withHandle(Handle::Distance),
      table("more", "Further distances", "As many more offsets of the same.",
            {length("distance", "Distance", "From the picked ones, not from one another.", "2").within(-1000, 1000)})
          .seldomSet(),
      zonesField("Distance", "Regions with a distance of their own: rings and drawings, curves and edges from border to border, faces of "
                             "the skin; planes, skins and solids that cross it.")};
}

/// A refused distance and one that fits.
Problem inField(Problem p, double mm, bool first, const std::string& row) {
  p.field = first ? "distance" : "more";
  if (!first) p.item = row;
  if (first && p.code == "LM-T001" && p.measured && p.measured->value > 0.02) {
    const std::string fits = formatNumber(std::copysign(p.measured->value * 0.95, mm), 3);
    p.offer({"use " + fits + " mm", "distance", fits});
  }
  return p;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  std::vector<double> distances{in.number("distance")};
  std::vector<std::string> rows{""};
  for (double d : in.column("more", "distance")) distances.push_back(d);
  for (const std::string& id : in.rowIds("more")) rows.push_back(id);
  const std::vector<PickedParts> bodies = partsByBody(in.picked("of"));
  LUMSK_TRY(zones, zonesIn(in, *bodies.front().body, cx));
  if (!zones.empty() && bodies.size() > 1)
    return fail(problem("LM-T015", "zones belong to one body").measure(count(double(bodies.size()))).want(count(1)).at(zones.front().borders.front().path.start()).inField("of").tryThis("offset the others by a step of their own"));
  Outcome out;
  double deviation = 0, tightest = 1e300;
  for (size_t k = 0; k < distances.size(); ++k)
    for (size_t b = 0; b < bodies.size(); ++b) {
      cx.report(double(k * bodies.size() + b) / double(distances.size() * bodies.size()), "offsetting");
      brep::OffsetBodyOptions o{distances[k], bodies[b].faces, in.stepId()};
      if (k == 0 && b == 0) o.zones = zones; // of the first distance
      auto made = brep::offsetBody(*bodies[b].body, o, cx);
      if (!made) {
        if (isCancelled(made.error())) return fail(made.error());
        return fail(inField(std::move(made.error()), distances[k], k == 0, rows[k]));
      }
      std::string name = rows[k];
      if (b > 0) name += (name.empty() ? "" : "-") + bodies[b].item;
      if (k == 0 && b == 0) addZoneHandles(out, zones, made->zones, 1.0);
      out.outputs.push_back({name, made->body, ""});
      out.notes.insert(out.notes.end(), made->notes.begin(), made->notes.end());
      deviation = std::max(deviation, made->deviationMm);
      tightest = std::min(tightest, made->tightestRadiusMm);
    }
  if (auto at = placeOnFront(*bodies.front().body, bodies.front().faces.empty() ? 0 : bodies.front().faces.front(), cx))
    out.marks.add(HandlePlace{"distance", at->point, at->normal, 1.0});
  out.summary = format(millimetres(distances.front()));
  for (size_t k = 1; k < distances.size(); ++k) out.summary += ", " + format(millimetres(distances[k]));
  out.summary += zoneWords(zones);
  if (deviation > 0) out.summary += " - within " + format(millimetres(deviation), 2);
  if (tightest < 1e6) out.summary += " - tightest radius " + format(millimetres(tightest), 3);
  return out;
}

} // namespace offset_

Step offset() { return Step{"offset", 1, "Offset", Stage::Trim, offset_::schema, offset_::compute}.under("go on"); }

} // namespace lumsk::steps
