#include "steps/cutting.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  Schema s;
  addCutters(s, "The skins and solids to divide.", {{"ring"}, {"spline"}, {"drawing"}});
  s.push_back(choice("into", "Into", "What comes of a body.",
                     {{"bodies", "bodies, one a piece"}, {"faces", "faces of the same body"}}));
  return s;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(cut, cutOf(in, cx));
  const bool apart = in.text("into") == "bodies";
  const size_t n = cut.division->pieces().size();
  LUMSK_TRY(made, cut.division->bodies(std::vector<char>(n, 1), true, apart, cx));
  Outcome out;
  putPieces(out, in, std::move(made));
  addNotes(out, *cut.division);
  out.summary = std::to_string(n) + (n == 1 ? " piece" : " pieces");
  return out;
}

} // namespace

Step split() { return Step{"split", 1, "Split", Stage::Trim, schema, compute}.under("cut"); }

} // namespace lumsk::steps
