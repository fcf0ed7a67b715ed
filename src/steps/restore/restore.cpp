#include "brep/restore.h"
#include "steps/bodies.h"
#include "steps/cutting.h"

namespace lumsk::steps {

using namespace recipe;

namespace restore_ {

Schema schema() {
  return {picks("what", "What", "Edges along which a skin was cut, edges of openings, faces, or whole skins.",
                Kind::Edge | Kind::Face | Kind::Skin)
              .prefer(Kind::Edge)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  int openings = 0, edges = 0;
  for (const PickedParts& w : partsByBody(in.picked("what"))) {
    const bool whole = w.faces.empty() && w.edges.empty();
    auto made = brep::restored(*w.body, w.edges, whole ? w.otherFaces() : w.faces, cx);
    if (!made) {
      made.error().inField("what").item = w.item;
      return fail(made.error());
    }
    putParts(out, w, made->bodies);
    noteCarriedOn(out, made->carriedOn, "an edge that was left");
    out.notes.insert(out.notes.end(), made->notes.begin(), made->notes.end());
    openings += made->openings, edges += made->edges;
  }
  if (openings > 0) out.summary = std::to_string(openings) + (openings == 1 ? " opening" : " openings");
  if (edges > 0) out.summary += (out.summary.empty() ? "" : " and ") + std::to_string(edges) + (edges == 1 ? " edge" : " edges");
  return out;
}

} // namespace restore_

Step restore() { return Step{"restore", 1, "Restore", Stage::Trim, restore_::schema, restore_::compute}.under("cut"); }

} // namespace lumsk::steps
