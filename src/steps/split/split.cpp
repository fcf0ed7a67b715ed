#include "steps/cutting.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace split_ {

Schema schema() {
  Schema s;
  addCutters(s, "The skins and solids to divide.", {{"ring"}, {"spline"}, {"drawing"}});
  s.push_back(choice("into", "Into", "What comes of a body.",
                     {{"bodies", "bodies, one a piece"}, {"faces", "faces of the same body"}}));
  s.push_back(length("gap", "Gap", "Kept between the pieces, half of it on either side of what cuts: an even gap.", "0")
                  .within(0, 1000)
                  .when("into", {"bodies"})
                  .unless("mutual", {"true"}));
  return s;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const double gap = in.has("gap") ? in.number("gap") : 0;
  LUMSK_TRY(cut, cutOf(in, cx, gap));
  const bool apart = in.text("into") == "bodies";
  const std::vector<char> kept = withoutGaps(cut.division->pieces());
  const auto n = std::count(kept.begin(), kept.end(), char(1));
  LUMSK_TRY(made, cut.division->bodies(kept, true, apart, cx));
  Outcome out;
  putPieces(out, in, std::move(made));
  addNotes(out, *cut.division);
  out.summary = std::to_string(n) + (n == 1 ? " piece" : " pieces") + (gap > 0 ? " - gap " + format(millimetres(gap)) : "");
  return out;
}

} // namespace split_

Step split() { return Step{"split", 1, "Split", Stage::Trim, split_::schema, split_::compute}.under("cut"); }

} // namespace lumsk::steps
