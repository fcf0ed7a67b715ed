#include "brep/mesh.h"
#include "brep/skin.h"
#include "brep/trim.h"
#include "steps/cutting.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace trim_ {

Schema schema() {
  Schema s;
  addCutters(s, "The skins and solids to cut.", {{"ring", "keep", "back"}, {"spline"}, {"drawing", "keep", "back"}}); // a ring is a hole
  s.push_back(choice("keep", "Keep",
                     "Which pieces are kept. In front of a plane or a skin is where its normals point, of a solid its "
                     "outside, of a ring its inside.",
                     {{"front", "in front of what cuts"},
                      {"back", "behind what cuts"},
                      {"these", "the pieces that are clicked"},
                      {"others", "all but the pieces that are clicked"}}));
  s.push_back(piecesField("pieces").when("keep", {"these", "others"}));
  return s;
}

/// By the sides that pieces lie on: what no cutter bounds, or one on both sides, stays.
std::vector<char> keptBySide(const std::vector<brep::Piece>& pieces, brep::SideOf wanted) {
  std::vector<char> kept;
  for (const brep::Piece& p : pieces)
    kept.push_back(std::all_of(p.sides.begin(), p.sides.end(), [&](const auto& s) {
      return s.second == wanted || s.second == brep::SideOf::Both;
    }));
  return kept;
}

std::vector<Vec3> trianglesOf(const brep::Body& skin) {
  constexpr int kMost = 240;
  std::vector<Vec3> out;
  const Vec3 low = brep::boxCorners(skin.shape)[0], high = brep::boxCorners(skin.shape)[7];
  for (const brep::FaceMesh& m : brep::displayMesh(skin, {(high - low).norm() / 100, 20}, kMost))
    for (const auto& t : m.triangles)
      for (int i : t) out.push_back(m.points[size_t(i)]);
  return out;
}

void addRegions(Outcome& out, const Inputs& in, const brep::Division& d, const std::vector<char>& kept, const FoundPieces& found) {
  for (size_t i = 0; i < d.pieces().size(); ++i) {
    Region r{"pieces", found.row[i], "keep", "these", "others", wordsOf(d.pieces()[i], in), d.pieces()[i].at, bool(kept[i])};
    if (const auto skin = d.skinOf(int(i))) {
      r.triangles = trianglesOf(**skin);
      for (const brep::ShownEdge& e : brep::displayEdges(**skin))
        if (!e.seam) out.marks.add(NetLine{e.points});
    }
    out.marks.add(std::move(r));
  }
}

/// A body and a plane that cannot be divided here (flat faces that lie in it, say) are left to the geometry kernel; else
/// the problem stands.
Expected<Outcome> otherwise(const Inputs& in, const Problem& why, const Context& cx) {
  const auto &bodies = in.picked("body"), &by = in.picked("by");
  const std::string keep = in.text("keep");
  const bool aSide = keep == "front" || keep == "back";
  const auto* plane = by.size() == 1 ? std::get_if<PlaneObject>(&by.front().object) : nullptr;
  if (!plane || bodies.size() != 1 || !aSide || in.on("mutual") || isCancelled(why) || why.code == "LM-C001") return fail(why);
  const auto made = brep::trimByPlane(*std::get<brep::BodyPtr>(bodies[0].object), plane->frame, keep == "front", in.stepId(), cx);
  if (!made) return fail(isCancelled(made.error()) ? made.error() : why);
  std::vector<brep::Divided> kept;
  for (const auto& p : made->pieces) kept.push_back({0, p});
  Outcome out;
  putPieces(out, in, std::move(kept));
  for (const bool stays : {true, false})
    out.marks.add(Flag{"keep", "", stays ? made->keptAt : made->droppedAt, Vec3::Zero(), false, stays ? "kept" : "cut off", stays ? 1 : 2});
  out.summary = made->pieces.size() == 1 ? "one piece" : std::to_string(made->pieces.size()) + " pieces";
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string keep = in.text("keep");
  const auto& bodies = in.picked("body");
  auto divided = cutOf(in, cx);
  if (!divided) return otherwise(in, divided.error(), cx);
  Cut& cut = *divided;
  const auto& pieces = cut.division->pieces();
  FoundPieces found;
  std::vector<char> kept;
  if (keep == "these" || keep == "others") {
    found = chosenPieces(in, "pieces", *cut.division);
    for (char c : found.chosen) kept.push_back(c == (keep == "these"));
  } else {
    found.row.resize(pieces.size());
    kept = keptBySide(pieces, keep == "front" ? brep::SideOf::Front : brep::SideOf::Back);
  }
  Outcome out;
  // Faces that a plane cuts straight across stay whole.
  std::optional<brep::Trimmed> straight;
  if (bodies.size() == 1 && cut.dividers.size() == 1 && cut.dividers[0].plane && (keep == "front" || keep == "back"))
    straight = brep::trimStraight(*cut.targets[0], *cut.dividers[0].plane, keep == "front", in.stepId(), cx);
  std::vector<brep::Divided> made;
  if (straight) {
    for (const auto& p : straight->pieces) made.push_back({0, p});
  } else {
    auto all = cut.division->bodies(kept, false, false, cx);
    if (!all) return fail(all.error().inField(all.error().code == "LM-C004" ? "keep" : "by"));
    made = std::move(*all);
  }
  const size_t count = made.size();
  const Vec3 at = pieces.front().at;
  putPieces(out, in, std::move(made));
  addNotes(out, *cut.division);
  addRegions(out, in, *cut.division, kept, found);
  if (count > bodies.size())
    out.notes.push_back(problem("LM-C101", "what is kept falls into parts: each is a body")
                            .measure(lumsk::count(double(count)))
                            .at(at)
                            .tryThis("hide or remove the parts that are not wanted"));
  const auto note = [&](const char* code, const char* what, const std::pair<std::string, Vec3>& row) {
    Problem p = problem(code, what).at(row.second).tryThis("look whether the right pieces stay, and click anew what does not");
    p.field = "pieces", p.item = row.first;
    out.notes.push_back(std::move(p));
  };
  for (const auto& row : found.doubtful) note("LM-C105", "a piece was found again by its place, and may be another one", row);
  for (const auto& row : found.lost) note("LM-C106", "a piece that was clicked is not there any more", row);
  out.summary = std::to_string(std::count(kept.begin(), kept.end(), char(1))) + " of " + std::to_string(pieces.size()) + " pieces";
  if (straight) out.summary += " - whole faces - " + format(millimetres(straight->refittedMm), 1);
  return out;
}

} // namespace trim_

Step trim() { return Step{"trim", 1, "Trim", Stage::Trim, trim_::schema, trim_::compute}.under("cut"); }

} // namespace lumsk::steps
