#include "brep/apart.h"
#include "brep/heal.h"
#include "brep/skin.h"
#include "steps/bodies.h"

namespace lumsk::steps {

using namespace recipe;

namespace delete_faces_ {

Schema schema() {
  return {picks("faces", "Faces", "Faces that are taken out.", Kind::Face),
          choice("then", "Then", "What becomes of the place where they were.",
                 {{"open", "the body is open there"}, {"healed", "the faces around go on and close it"}})};
}

Expected<std::vector<brep::BodyPtr>> withoutFaces(Outcome& out, const PickedParts& p, bool healed, const Context& cx) {
  const auto rest = p.otherFaces();
  if (rest.empty())
    return fail(problem("LM-C004", "nothing would be left").at(brep::boxCorners(p.body->shape)[0]).tryThis("keep at least one face, or leave the body out"));
  if (!healed) return brep::facesApart(*p.body, rest, false);
  LUMSK_TRY(made, brep::healed(p.body, p.faces, cx));
  out.notes.insert(out.notes.end(), made.notes.begin(), made.notes.end());
  return std::move(made.bodies);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  int gone = 0;
  for (const PickedParts& p : partsByBody(in.picked("faces"))) {
    auto bodies = withoutFaces(out, p, in.text("then") == "healed", cx);
    if (!bodies) {
      bodies.error().inField(bodies.error().code == "LM-C051" ? "then" : "faces").item = p.item;
      if (bodies.error().code == "LM-C051") bodies.error().offer({"leave it open", "then", "open"});
      return fail(bodies.error());
    }
    gone += int(p.faces.size());
    putParts(out, p, *bodies);
    if (bodies->size() == 1) continue;
    Problem apart = problem("LM-C101", "what is kept falls into " + std::to_string(bodies->size()) + " parts");
    for (const auto& x : *bodies) apart.at(brep::boxCorners(x->shape)[0]);
    out.notes.push_back(std::move(apart));
  }
  out.summary = std::to_string(gone) + (gone == 1 ? " face" : " faces");
  return out;
}

} // namespace delete_faces_

Step delete_faces() { return Step{"delete_faces", 1, "Delete faces", Stage::Trim, delete_faces_::schema, delete_faces_::compute}.under("change"); }

} // namespace lumsk::steps
