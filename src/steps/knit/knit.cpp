#include "brep/knit.h"

#include "brep/cover.h"
#include "brep/pull.h"
#include "inspect/state.h"
#include "steps/common.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace knit_ {

constexpr size_t kSizesTold = 6;

Schema schema() {
  return {
      picks("skins", "Skins", "The skins to join along their edges; the first one gives the body its name.", Kind::Skin)
          .atLeast(1),
      length("gap", "Largest gap", "Edges within this distance are joined.", "0.01").within(0.0001, 5),
      length("pull", "Pull together", "Skins whose edges are no further apart than this are bent until they meet; tangents stay. Nought: none.", "0")
          .within(0, 20)
          .seldomSet(),
      length("close", "Close openings", "Openings no larger than this across are covered. Nought: none.", "0").within(0, 1e4).seldomSet(),
      toggle("solid", "Solid when closed", "A skin that closes becomes a solid.", true).seldomSet()};
}

std::string counted(size_t n, const char* one, const char* many) { return std::to_string(n) + " " + (n == 1 ? one : many); }

/// Gaps that were joined, and edges that nearly met: never hidden. Each is marked with its size.
void addNotes(Outcome& out, const brep::Knitted& k, const Tolerances& tol) {
  std::vector<inspect::Join> wide;
  for (const auto& j : inspect::joins(*k.body, tol))
    if (j.gapMm > tol.point.mm) wide.push_back(j);
  std::sort(wide.begin(), wide.end(), [](const auto& a, const auto& b) { return a.gapMm > b.gapMm; });
  const auto mark = [&](const Vec3& at, double mm, int group) {
    out.marks.add(Flag{"gap", "", at, Vec3::Zero(), false, formatNumber(mm, 2), group});
  };
  if (!wide.empty()) {
    Problem gaps = problem("LM-B101", counted(wide.size(), "edge was", "edges were") + " joined over a gap");
    std::string sizes;
    for (size_t i = 0; i < wide.size(); ++i) {
      gaps.at(wide[i].gapAt);
      mark(wide[i].gapAt, wide[i].gapMm, 1);
      if (i < kSizesTold) sizes += (i ? ", " : "") + formatNumber(wide[i].gapMm, 2);
    }
    if (wide.size() > 1) gaps.what += " (" + sizes + (wide.size() > kSizesTold ? ", ..." : "") + " mm)";
    out.notes.push_back(gaps.measure(millimetres(wide.front().gapMm)).want(millimetres(tol.point.mm)));
  }
  if (k.nearMisses.empty()) return;
  Problem open = problem("LM-B102", counted(k.nearMisses.size(), "pair of edges comes", "pairs of edges come") + " near one another and was not joined")
                     .measure(millimetres(k.nearMisses.front().gapMm));
  for (const auto& m : k.nearMisses) {
    open.at(m.at);
    mark(m.at, m.gapMm, 2);
  }
  const std::string wider = formatNumber(k.nearMisses.front().gapMm * 1.05, 3);
  if (k.nearMisses.front().gapMm < 4.5) open.offer({"join up to " + wider + " mm", "gap", wider});
  if (k.nearMisses.front().gapMm < 18) open.offer({"pull together up to " + wider + " mm", "pull", wider});
  out.notes.push_back(std::move(open));
}

/// Skins bent until they meet, if that is wanted.
Expected<void> pull(std::vector<brep::NamedFace>& faces, Outcome& out, const Inputs& in, const Context& cx) {
  const double limit = in.number("pull");
  if (!(limit > cx.tolerances.point.mm)) return {};
  auto made = brep::pulledTogether(std::move(faces), {limit}, cx);
  if (!made) return fail(made.error().inField("pull"));
  faces = std::move(made->faces);
  if (made->edges > 0)
    out.notes.push_back(problem("LM-B104", counted(size_t(made->edges), "pair of edges was", "pairs of edges were") + " pulled together; what moved most did so by " +
                                               format(millimetres(made->movedMm), 2))
                            .measure(millimetres(made->widestMm))
                            .want(millimetres(limit))
                            .at(made->at));
  if (made->bentDeg > cx.tolerances.angle.deg)
    out.notes.push_back(problem("LM-B106", "skins that were pulled together are not quite tangent")
                            .measure(degrees(made->bentDeg))
                            .want(degrees(cx.tolerances.angle.deg))
                            .at(made->bentAt)
                            .tryThis("match one to the other first"));
  return {};
}

/// Covers for openings that are small enough.
Expected<brep::Knitted> closed(brep::Knitted made, Outcome& out, const Inputs& in, const Context& cx) {
  const double size = in.number("close");
  if (!(size > 0)) return made;
  Problem told = problem("LM-B105", "");
  auto faces = brep::namedFaces(*made.body);
  size_t n = 0;
  for (const brep::Ring& r : brep::openRings(made.body->shape)) {
    if (!r.closed) continue;
    const Points p = brep::pointsAlong(r, 8);
    if ((p.colwise().maxCoeff() - p.colwise().minCoeff()).norm() > size) continue;
    LUMSK_TRY(cover, brep::cover(r, brep::faceName(in.stepId(), "cover", std::to_string(++n)), cx));
    faces.push_back(std::move(cover.face));
    told.at(p.row(0).transpose());
  }
  if (n == 0) return made;
  told.what = counted(n, "small opening was", "small openings were") + " covered";
  out.notes.push_back(std::move(told));
  return brep::knitFaces(faces, {in.number("gap")}, cx, in.on("solid"));
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
  LUMSK_CHECK(pull(faces, out, in, cx));
  auto joined = brep::knitFaces(faces, {in.number("gap")}, cx, in.on("solid"));
  if (!joined) {
    Problem p = joined.error();
    if (p.code == "LM-B002" && p.measured && p.measured->value > in.number("gap") && p.measured->value < 10 && in.number("pull") < p.measured->value) {
      const std::string reach = formatNumber(1.5 * p.measured->value, 2);
      p.offer({"pull together up to " + reach + " mm", "pull", reach});
    }
    return fail(std::move(p));
  }
  brep::Knitted& knitted = *joined;
  auto made = closed(std::move(knitted), out, in, cx);
  if (!made) return fail(made.error().inField("close"));
  out.outputs.push_back({"", made->body, skins.front().objectId()});
  addNotes(out, *made, cx.tolerances);
  const auto state = inspect::stateOf(*made->body);
  const std::string faceWords = std::to_string(state.faces) + " faces - ";
  if (made->body->solid() || state.openings.empty()) {
    out.summary = made->body->solid() ? "solid - " + std::to_string(state.faces) + " faces" : "skin - " + faceWords + "closed";
  } else {
    out.summary = "skin - " + faceWords + counted(state.openings.size(), "opening", "openings");
    Problem open = problem("LM-B103", "the skin is open at " + counted(state.openings.size(), "place", "places"));
    for (const auto& o : state.openings) open.at(o.outline[o.outline.size() / 3]);
    out.notes.push_back(std::move(open));
  }
  return out;
}

} // namespace knit_

Step knit() { return Step{"knit", 1, "Knit", Stage::Trim, knit_::schema, knit_::compute}.under("join"); }

} // namespace lumsk::steps
