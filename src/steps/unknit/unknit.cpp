#include "brep/apart.h"
#include "steps/bodies.h"

namespace lumsk::steps {

using namespace recipe;

namespace unknit_ {

Schema schema() {
  return {picks("what", "What", "Bodies, or faces that are to become bodies of their own.", Kind::Face | Kind::Skin | Kind::Solid).prefer(Kind::Face),
          choice("into", "Into", "What becomes of the picked faces.", {{"parts", "bodies that hang together"}, {"faces", "a body each"}})};
}

Expected<Outcome> compute(const Inputs& in, const Context&) {
  const bool single = in.text("into") == "faces";
  Outcome out;
  int made = 0;
  for (const PickedParts& p : partsByBody(in.picked("what"))) {
    // A whole body falls into its faces.
    std::vector<brep::BodyPtr> bodies, apart;
    if (p.faces.empty()) {
      apart = brep::facesApart(*p.body, p.otherFaces(), true);
    } else {
      bodies = brep::facesApart(*p.body, p.otherFaces(), false);
      apart = brep::facesApart(*p.body, p.faces, single);
    }
    made += int(apart.size());
    bodies.insert(bodies.end(), apart.begin(), apart.end());
    putParts(out, p, bodies);
  }
  out.summary = std::to_string(made) + (made == 1 ? " body" : " bodies");
  return out;
}

} // namespace unknit_

Step unknit() { return Step{"unknit", 1, "Unknit", Stage::Trim, unknit_::schema, unknit_::compute}.under("join"); }

} // namespace lumsk::steps
