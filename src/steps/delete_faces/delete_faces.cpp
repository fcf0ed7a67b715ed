#include "brep/apart.h"
#include "brep/skin.h"
#include "steps/bodies.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() { return {picks("faces", "Faces", "Faces that are taken out; the body is open there.", Kind::Face)}; }

Expected<Outcome> compute(const Inputs& in, const Context&) {
  Outcome out;
  int gone = 0;
  for (const PickedParts& p : partsByBody(in.picked("faces"))) {
    const auto rest = p.otherFaces();
    if (rest.empty()) {
      Problem none = problem("LM-C004", "nothing would be left").at(brep::boxCorners(p.body->shape)[0]).tryThis("keep at least one face, or leave the body out");
      none.inField("faces").item = p.item;
      return fail(std::move(none));
    }
    gone += int(p.faces.size());
    const auto bodies = brep::facesApart(*p.body, rest, false);
    putParts(out, p, bodies);
    if (bodies.size() == 1) continue;
    Problem apart = problem("LM-C101", "what is kept falls into " + std::to_string(bodies.size()) + " parts");
    for (const auto& x : bodies) apart.at(brep::boxCorners(x->shape)[0]);
    out.notes.push_back(std::move(apart));
  }
  out.summary = std::to_string(gone) + (gone == 1 ? " face" : " faces");
  return out;
}

} // namespace

Step delete_faces() { return {"delete_faces", 1, "Delete faces", Stage::Trim, schema, compute}; }

} // namespace lumsk::steps
