#include "steps/openings.h"

#include "brep/knit.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

std::vector<PickedRing> ringsIn(const Inputs& in, const std::string& key, double gapMm) {
  std::vector<PickedRing> out;
  std::vector<TopoDS_Edge> loose;
  PickedRing rest;
  const auto has = [](const brep::Ring& r, const TopoDS_Edge& e) {
    return std::any_of(r.edges.begin(), r.edges.end(), [&](const TopoDS_Edge& k) { return k.IsSame(e); });
  };
  const auto& picked = in.picked(key);
  for (size_t i = 0; i < picked.size(); ++i) {
    const Picked& p = picked[i];
    const auto addLoose = [&](const std::vector<TopoDS_Edge>& edges) {
      loose.insert(loose.end(), edges.begin(), edges.end());
      if (rest.item.empty()) rest.item = p.item;
      rest.picks.push_back(i);
    };
    if (!p.body) {
      addLoose(brep::edgesAlong(*std::get<CurvePtr>(p.object)));
      continue;
    }
    const TopoDS_Edge e = brep::edges(*p.body)[size_t(p.index)];
    const auto known = std::find_if(out.begin(), out.end(), [&](const PickedRing& r) { return has(r.ring, e); });
    if (known != out.end()) {
      known->picks.push_back(i);
      continue;
    }
    bool whole = false;
    const bool alone = in.itemText(key, i, "extent") == "alone";
    for (brep::Ring& r : brep::openRings(p.body->shape))
      if (!alone && r.closed && has(r, e)) out.push_back({std::move(r), p.item, {i}}), whole = true;
    if (!whole) addLoose({e});
  }
  int n = 0;
  for (brep::Ring& r : brep::chained(loose, gapMm))
    out.push_back({std::move(r), rest.item + (n++ ? "-" + std::to_string(n) : ""), rest.picks});
  return out;
}

Expected<Closed> closeWith(const Inputs& in, const std::string& key, const std::vector<brep::NamedFace>& closing, double gapMm, bool knit,
                           const std::string& called, const Context& cx) {
  Closed out;
  std::vector<const Picked*> bodies;
  for (const Picked& p : in.picked(key))
    if (p.body && std::none_of(bodies.begin(), bodies.end(), [&](const Picked* k) { return k->body == p.body; })) bodies.push_back(&p);
  if (knit && !bodies.empty()) {
    std::vector<brep::NamedFace> faces;
    for (const Picked* p : bodies) {
      const auto own = brep::namedFaces(*p->body);
      faces.insert(faces.end(), own.begin(), own.end());
      out.outcome.usedUp.push_back(p->objectId());
    }
    faces.insert(faces.end(), closing.begin(), closing.end());
    LUMSK_TRY(knitted, brep::knitFaces(faces, {gapMm}, cx));
    out.knitted = knitted.body;
    out.outcome.outputs.push_back({"", knitted.body, bodies.front()->objectId()});
    const auto openings = brep::openRings(knitted.body->shape).size();
    out.outcome.summary = knitted.body->solid() ? "solid" : "skin - " + std::to_string(openings) + (openings == 1 ? " opening" : " openings") + " left";
    return out;
  }
  int n = 0;
  for (const auto& face : closing) {
    LUMSK_TRY(knitted, brep::knitFaces({face}, {gapMm}, cx));
    out.outcome.outputs.push_back({closing.size() > 1 ? std::to_string(++n) : "", knitted.body, ""});
  }
  out.outcome.summary = closing.size() == 1 ? called : std::to_string(closing.size()) + " " + called + "s";
  return out;
}

} // namespace lumsk::steps
