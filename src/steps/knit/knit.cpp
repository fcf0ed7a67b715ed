#include "brep/knit.h"

#include "inspect/state.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {
      picks("skins", "Skins", "The skins to join along their edges; the first one gives the body its name.", Kind::Skin)
          .atLeast(1),
      length("gap", "Largest gap", "Edges within this distance are joined.", "0.01").within(0.0001, 5)};
}

/// Gaps that were joined, and edges that nearly met: never hidden.
void addNotes(Outcome& out, const brep::Knitted& k, const Tolerances& tol) {
  Problem gaps = problem("LM-B101", "");
  double worst = 0;
  for (const auto& j : inspect::joins(*k.body, tol)) {
    if (j.gapMm <= tol.point.mm) continue;
    worst = std::max(worst, j.gapMm);
    gaps.at(j.gapAt);
  }
  if (worst > 0) {
    gaps.what = std::to_string(gaps.where.size()) + (gaps.where.size() == 1 ? " edge was" : " edges were") +
                " joined over a gap";
    out.notes.push_back(gaps.measure(millimetres(worst)).want(millimetres(tol.point.mm)));
  }
  if (k.nearMisses.empty()) return;
  Problem open = problem("LM-B102", std::to_string(k.nearMisses.size()) +
                                        (k.nearMisses.size() == 1 ? " pair of edges comes" : " pairs of edges come") +
                                        " near one another and was not joined")
                     .measure(millimetres(k.nearMisses.front().gapMm));
  for (const auto& m : k.nearMisses) open.at(m.at);
  const std::string wide = formatNumber(k.nearMisses.front().gapMm * 1.05, 3);
  if (k.nearMisses.front().gapMm < 4.5) open.offer({"join up to " + wide + " mm", "gap", wide});
  out.notes.push_back(std::move(open));
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  std::vector<brep::NamedFace> faces;
  Outcome out;
  const auto& skins = in.picked("skins");
  for (const Picked& p : skins) {
    const auto own = brep::namedFaces(*std::get<brep::BodyPtr>(p.object));
    faces.insert(faces.end(), own.begin(), own.end());
    out.usedUp.push_back(p.objectId());
  }
  auto made = brep::knitFaces(faces, {in.number("gap")}, cx);
  if (!made) return fail(made.error());
  out.outputs.push_back({"", made->body, skins.front().objectId()});
  addNotes(out, *made, cx.tolerances);
  const auto state = inspect::stateOf(*made->body);
  if (made->body->solid()) {
    out.summary = "solid - " + std::to_string(state.faces) + " faces";
  } else {
    out.summary = "skin - " + std::to_string(state.faces) + " faces - " + std::to_string(state.openings.size()) +
                  (state.openings.size() == 1 ? " opening" : " openings");
    Problem open = problem("LM-B103", "the skin is open at " + std::to_string(state.openings.size()) +
                                          (state.openings.size() == 1 ? " place" : " places"));
    for (const auto& o : state.openings) open.at(o.outline[o.outline.size() / 3]);
    out.notes.push_back(std::move(open));
  }
  return out;
}

} // namespace

Step knit() { return {"knit", 1, "Knit", Stage::Trim, schema, compute}; }

} // namespace lumsk::steps
