#include "brep/unite.h"
#include "steps/bodies.h"

namespace lumsk::steps {

using namespace recipe;

namespace merge_faces_ {

Schema schema() {
  return {picks("what", "What", "Faces side by side, or bodies of which all faces count.", Kind::Face | Kind::Skin | Kind::Solid).prefer(Kind::Face),
          toggle("edges", "Edges too", "Edges that run on in one another between the same two faces are made one as well.", true)};
}

std::string counted(int n, const char* one) { return std::to_string(n) + " " + one + (n == 1 ? "" : "s"); }

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  int faces = 0, edges = 0;
  double deviation = 0;
  for (const PickedParts& p : partsByBody(in.picked("what"))) {
    auto made = brep::united(*p.body, p.faces, in.on("edges"), cx);
    if (!made) {
      made.error().inField("what").item = p.item;
      return fail(made.error());
    }
    putParts(out, p, {made->body});
    out.notes.insert(out.notes.end(), made->notes.begin(), made->notes.end());
    faces += made->faces, edges += made->edges;
    deviation = std::max(deviation, made->deviationMm);
  }
  out.summary = counted(faces, "face") + " and " + counted(edges, "edge") + " fewer";
  if (deviation > 0) out.summary += " - within " + format(millimetres(deviation), 1);
  return out;
}

} // namespace merge_faces_

Step merge_faces() { return Step{"merge_faces", 1, "Merge faces", Stage::Trim, merge_faces_::schema, merge_faces_::compute}.under("join"); }

} // namespace lumsk::steps
