#include "brep/cover.h"

#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {
      picks("edges", "Ring", "One edge of each opening to close; or curves and edges that form a ring.",
            Kind::Edge | Kind::Curve)
          .atLeast(1)
          .prefer(Kind::Edge),
      toggle("knit", "Knit in", "Joins the cover with the body; a body that is closed then becomes a solid.", true),
      length("gap", "Largest gap", "Ends of the ring and edges of the body within this distance are joined.", "0.01")
          .within(0.0001, 5)};
}

struct NamedRing {
  brep::Ring ring;
  std::string item; ///< id of the pick that it came from
};

/// Whole openings of bodies for picks of open edges; what is left is chained by places.
std::vector<NamedRing> ringsOf(const Inputs& in, double gap) {
  std::vector<NamedRing> out;
  std::vector<TopoDS_Edge> loose;
  std::string looseItem;
  const auto has = [](const brep::Ring& r, const TopoDS_Edge& e) {
    return std::any_of(r.edges.begin(), r.edges.end(), [&](const TopoDS_Edge& k) { return k.IsSame(e); });
  };
  for (const Picked& p : in.picked("edges")) {
    if (!p.body) {
      const auto own = brep::edgesAlong(*std::get<CurvePtr>(p.object));
      loose.insert(loose.end(), own.begin(), own.end());
      if (looseItem.empty()) looseItem = p.item;
      continue;
    }
    const TopoDS_Edge e = brep::edges(*p.body)[size_t(p.index)];
    if (std::any_of(out.begin(), out.end(), [&](const NamedRing& r) { return has(r.ring, e); })) continue;
    bool whole = false;
    for (brep::Ring& r : brep::openRings(p.body->shape))
      if (r.closed && has(r, e)) out.push_back({std::move(r), p.item}), whole = true;
    if (whole) continue;
    loose.push_back(e);
    if (looseItem.empty()) looseItem = p.item;
  }
  int n = 0;
  for (brep::Ring& r : brep::chained(loose, gap))
    out.push_back({std::move(r), looseItem + (n++ ? "-" + std::to_string(n) : "")});
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const double gap = in.number("gap");
  std::vector<brep::NamedFace> covers, faces;
  Outcome out;
  double height = 0;
  for (const NamedRing& r : ringsOf(in, gap)) {
    auto made = brep::cover(r.ring, brep::faceName(in.stepId(), "cover", r.item), cx);
    if (!made) return fail(made.error().inField("edges"));
    height = std::max(height, made->planar ? 0.0 : made->heightMm);
    covers.push_back(made->face);
  }
  std::vector<const Picked*> bodies;
  for (const Picked& p : in.picked("edges"))
    if (p.body && std::none_of(bodies.begin(), bodies.end(), [&](const Picked* k) { return k->body == p.body; }))
      bodies.push_back(&p);
  if (in.on("knit") && !bodies.empty()) {
    for (const Picked* p : bodies) {
      const auto own = brep::namedFaces(*p->body);
      faces.insert(faces.end(), own.begin(), own.end());
      out.usedUp.push_back(p->objectId());
    }
    faces.insert(faces.end(), covers.begin(), covers.end());
    LUMSK_TRY(knitted, brep::knitFaces(faces, {gap}, cx));
    out.outputs.push_back({"", knitted.body, bodies.front()->objectId()});
    const auto openings = brep::openRings(knitted.body->shape).size();
    out.summary = knitted.body->solid()
                      ? "solid"
                      : "skin - " + std::to_string(openings) + (openings == 1 ? " opening" : " openings") + " left";
  } else {
    int n = 0;
    for (const auto& c : covers) {
      LUMSK_TRY(knitted, brep::knitFaces({c}, {gap}, cx));
      out.outputs.push_back({covers.size() > 1 ? std::to_string(++n) : "", knitted.body, ""});
    }
    out.summary = covers.size() == 1 ? "cover" : std::to_string(covers.size()) + " covers";
  }
  out.summary += height > 0 ? " - rises " + format(millimetres(height), 3) : " - flat";
  return out;
}

} // namespace

Step cover() { return Step{"cover", 1, "Cover", Stage::Trim, schema, compute}.under("join"); }

} // namespace lumsk::steps
