#include "nurbs/loft/loft.h"

#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/measure/closest.h"
#include "nurbs/loft/loft_centre.h"
#include "nurbs/measure/wrinkles.h"
#include "recipe/rails.h"
#include "steps/curves.h"
#include "steps/graphs.h"
#include "steps/neighbours.h"
#include "steps/section_marks.h"
#include "steps/skin_ends.h"
#include "steps/solids.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace loft_ {

constexpr double kLargestGapMm = 10;
constexpr int kUsualDegree = 3; ///< across

Schema schema() {
  Schema s{
      picks(
          "sections", "Sections",
          "Curves the skin passes through, in order: also chains and loops of edges, outlines of faces; a point may be "
          "first or last.",
          Kind::Curve | Kind::Edge | Kind::Point | Kind::Face)
          .atLeast(2)
          .prefer(Kind::Curve | Kind::Edge | Kind::Point)
          .eachWith({startMark(), flip(), extentField()}),
      picks("guides", "Guides",
            "Curves that the skin follows between the sections, in any order; each crosses all of them once. A "
            "point: where all sections end.",
            Kind::Curve | Kind::Edge | Kind::Point)
          .optional(),
      length("gap", "Largest gap", "Guides that miss a section by at most this are pulled onto it.", "0.01")
          .within(0, kLargestGapMm)
          .when("guides", {"picked"})
          .seldomSet(),
      choice("way", "Between",
             "How the skin runs from section to section: exactly through them; relaxed, as evenly as can be within a "
             "deviation; ruled, straight with an edge at every section.",
             {{"exact", "exact"}, {"relaxed", "relaxed"}, {"ruled", "ruled"}}),
      length("relaxed", "Deviation", "How far a relaxed skin may leave its sections.", "0.05")
          .within(0.001, 10)
          .when("way", {"relaxed"}),
      angle("relaxedTurn", "Direction", "By how much the direction along a section may differ; 0: as it comes.", "0")
          .within(0, 45)
          .when("way", {"relaxed"})
          .seldomSet(),
      choice("centre", "Centre line",
             "A line along which the sections follow one another, each square to it in its own way: none; computed "
             "through their middles; or picked.",
             {{"none", "none"}, {"computed", "computed"}, {"picked", "picked"}})
          .unless("way", {"ruled"})
          .seldomSet(),
      picks("centreLine", "Line", "The centre line.", Kind::Curve | Kind::Edge)
          .atLeast(1)
          .atMost(1)
          .when("centre", {"picked"}),
      length("lineWithin", "Round the line within",
             "How far a smooth spline in place of the line may lie off it: for lines with corners. 0: the line as it is.",
             "0")
          .within(0, 1e4)
          .when("centre", {"picked"})
          .seldomSet(),
      toggle("around", "Around", "The last section is followed by the first one.", false).seldomSet()};
  const std::vector<std::string> ends{"free", "perpendicular", "angle", "flat", "g1", "g2", "g3"};
  const std::vector<std::string> sides{"free", "perpendicular", "angle", "g1", "g2", "g3"};
  const auto end = [](const std::string& which) {
    return "the " + which +
           " section: free; square to its plane, at a point rounded; leaning outwards; at a point flat; flowing into "
           "the neighbouring skin; G3 without one: at a mirror plane.";
  };
  const auto side = [](const std::string& which) {
    return "the outer guide, or the line, where open sections " + which +
           ": free; square to the mirror plane it lies in; leaning outwards; flowing into the neighbouring skin; G3 "
           "without one: at a mirror plane. The sections have to do so themselves.";
  };
  const size_t endsFrom = s.size();
  addSkinEnd(s, "start", "Start", end("first"), ends, "the section.");
  addSkinEnd(s, "end", "End", end("last"), ends, "the section.");
  for (size_t i = endsFrom; i < s.size(); ++i) s[i].when("around", {"false"});
  addSkinEnd(s, "left", "Side at starts", side("start"), sides, "the side.");
  addSkinEnd(s, "right", "Side at ends", side("end"), sides, "the side.");
  s.push_back(countField("degree", "Degree across",
                         "Degree across the sections; lowered when there are too few, at least 5 along guides.",
                         std::to_string(kUsualDegree))
                  .within(1, 7)
                  .seldomSet());
  s.push_back(table("pairs", "Pairs",
                    "Places of sections that belong together: click a section while this has the focus, then drag the "
                    "squares of the new pair along the other sections.",
                    {ratioField("at", "At", "Fraction of that section's length.", "0.5").within(0, 1)})
                  .seldomSet());
  s.push_back(mirrorPlaneField());
  addSolid(s, "Covers the ends of closed sections, which makes a solid.");
  return s;
}

/// The picked guide that runs along a side: it passes nearest to where the first section starts, or ends.
const Picked* guideAtSide(const Inputs& in, const std::vector<nurbs::Section>& sections, bool ends) {
  size_t i = 0;
  while (i < sections.size() && !sections[i].path()) ++i;
  if (i == sections.size() || sections[i].path()->closed()) return nullptr;
  const nurbs::Path& p = *sections[i].path();
  const Vec3 at = sections[i].flip != ends ? p.end() : p.start();
  const Picked* found = nullptr;
  double nearest = 1e300;
  for (const Picked& g : in.picked("guides")) {
    const auto* curve = std::get_if<CurvePtr>(&g.object);
    if (!curve) continue;
    if (const double d = nurbs::closestPoint(**curve, at).distanceMm; d < nearest) nearest = d, found = &g;
  }
  const double near = std::max(in.has("gap") ? in.number("gap") : 0.0, 0.01);
  return nearest <= near ? found : nullptr;
}

/// The curves among them, divided where they pass the sections several times; all sections have to end in the points.
Expected<std::vector<nurbs::Path>> guidesOf(const Inputs& in, const std::vector<nurbs::Section>& sections, const Tolerances& tol) {
  std::vector<nurbs::Path> out;
  const double near = std::max(in.has("gap") ? in.number("gap") : 0.0, 10 * tol.point.mm);
  for (const Picked& g : in.picked("guides")) {
    if (const auto* curve = std::get_if<CurvePtr>(&g.object)) {
      const auto parts = in.on("around") ? std::vector<nurbs::Path>{**curve}
                                         : nurbs::dividedAtSections(**curve, sections, {near}, tol);
      out.insert(out.end(), parts.begin(), parts.end());
      continue;
    }
    const Vec3 at = std::get<PointObject>(g.object).at;
    for (size_t i = 0; i < sections.size(); ++i) {
      const nurbs::Path* p = sections[i].path();
      const double off = p && !p->closed() ? std::min((p->start() - at).norm(), (p->end() - at).norm()) : 1e300;
      if (off > near)
        return fail(
            problem("LM-L030", "section " + std::to_string(i + 1) + " does not end in the point among the guides")
                .at(at)
                .inField("guides")
                .tryThis("take the point out, or let all sections end in it"));
    }
  }
  return out;
}

/// The offer to put the sections in an order in which they follow one another more shortly.
std::pair<std::string, Remedy> orderOffer(const std::vector<int>& better, const std::vector<PickedSection>& sections,
                                          const Inputs& in) {
  std::string order, items;
  for (int i : better) {
    order += (order.empty() ? "" : ", ") + std::to_string(i + 1);
    for (size_t place : sections[size_t(i)].places)
      items += (items.empty() ? "" : ",") + in.picked("sections")[place].item;
  }
  return {order, {"put them in the order " + order, "sections", items}};
}

/// The picked centre line, rounded within the deviation that may be given. Fails with LM-L039 where it has a corner.
Expected<nurbs::Path> centreLineOf(const Inputs& in, const std::vector<nurbs::Section>& sections, const Context& cx) {
  const nurbs::Path& line = *curveOf(in.picked("centreLine").front());
  if (const double within = in.number("lineWithin"); within > 0) return nurbs::roundedLine(line, {within}, cx);
  const auto corners = line.corners(cx.tolerances.corner);
  if (corners.empty()) return line;
  const std::string within = formatNumber(1.05 * nurbs::roomyDistance(line, sections, cx).mm, 2);
  Problem p = problem("LM-L039", "the centre line has a corner");
  for (double t : corners) p.at(line.at(t));
  return fail(p.inField("centreLine")
                  .tryThis("round it, or take a smooth curve")
                  .offer({"take a spline within " + within + " mm", "lineWithin", within}));
}

/// The order in which a picked centre line passes the sections, where that is another one than the given.
std::optional<std::vector<int>> orderAlongLine(const Inputs& in, const std::vector<PickedSection>& given) {
  if (!in.has("centreLine") || in.picked("centreLine").empty()) return {};
  std::vector<int> order =
      nurbs::orderAlong(sectionsOf(in, "sections", given), *curveOf(in.picked("centreLine").front()), in.on("around"));
  if (std::is_sorted(order.begin(), order.end())) return {};
  return order;
}

void noteSections(Outcome& out, const nurbs::LoftResult& r, const nurbs::LoftOptions& o, const Tolerances& tol) {
  const bool relaxed = o.way == nurbs::LoftWay::Relaxed;
  if (r.sectionDeviationMm <= (relaxed ? o.relaxed.mm : 2 * tol.fit.mm)) return;
  out.notes.push_back(problem("LM-L108", "the skin leaves its sections by more than it may")
                          .measure(millimetres(r.sectionDeviationMm))
                          .want(millimetres(relaxed ? o.relaxed.mm : tol.fit.mm))
                          .at(out.marks.all<Flag>().front().at)
                          .tryThis("match the sections' ends to the skin that a side flows into"));
}

/// Says by how much guides were pulled and are left. Fails with LM-L038 where they are left by more than the tolerances.
Expected<void> tellGuides(Outcome& out, const nurbs::LoftResult& r, const Tolerances& tol) {
  std::string pulled;
  double widest = 0;
  for (size_t g = 0; g < r.guideGapMm.size(); ++g) {
    widest = std::max(widest, r.guideGapMm[g]);
    if (r.guideGapMm[g] > tol.point.mm)
      pulled += (pulled.empty() ? "" : ", ") + std::to_string(g + 1) + " by " + formatNumber(r.guideGapMm[g], 2);
  }
  if (!pulled.empty())
    out.notes.push_back(problem("LM-L106", "pulled guides onto the sections (mm): " + pulled).at(r.guideDeviationAt));
  if (r.guideDeviationMm > tol.point.mm + 1.5 * widest)
    return fail(problem("LM-L038", "the skin cannot follow its guides: it leaves one by more than the tolerances")
                    .measure(millimetres(r.guideDeviationMm))
                    .want(millimetres(tol.fit.mm))
                    .at(r.guideDeviationAt)
                    .inField("guides")
                    .tryThis("let the guides meet the sections in the places that belong together, smooth them, or add "
                             "a section there"));
  if (r.guideDeviationMm > tol.fit.mm + 1.5 * widest)
    out.notes.push_back(problem("LM-L107", "the skin leaves its guides by more than the fit tolerance")
                            .measure(millimetres(r.guideDeviationMm))
                            .want(millimetres(tol.fit.mm))
                            .at(r.guideDeviationAt)
                            .tryThis("match the guides' ends to what the skin flows into, or smooth them"));
  return {};
}

/// "6 sections - 4 guides - 196 points - 0.0003 mm - worst join 0.002°, 0.01 % - wrinkle index 3.1"
std::string summaryOf(const nurbs::LoftResult& r, size_t guides, double wrinkles) {
  int controls = 0;
  for (const nurbs::Surface& s : r.strips) controls += s.controlPoints();
  std::string out = std::to_string(r.alignment.sections.size()) + " sections";
  if (guides > 0) out += " - " + std::to_string(guides) + (guides > 1 ? " guides" : " guide");
  out += " - " + std::to_string(controls) + " points - " +
         format(millimetres(std::max(r.sectionDeviationMm, r.guideDeviationMm)), 1);
  if (r.joins)
    out += " - worst join " + format(degrees(r.join.angleDeg), 1) +
           (r.join.curvature > 0 ? ", " + formatNumber(100 * r.join.curvature, 2) + " %" : "");
  return out + wrinkleWords(wrinkles);
}

/// The wrinkle index of a loft through the same sections without guides, ends and sides that flow on, or a centre line;
/// nothing where there are none.
std::optional<double> plainWrinkles(const std::vector<nurbs::Section>& sections, const nurbs::LoftOptions& o,
                                    const Context& cx) {
  const bool differs = !o.guides.empty() || o.centre != nurbs::LoftOptions::Centre::None ||
                       o.start.kind != Meets::Free || o.end.kind != Meets::Free ||
                       o.left.kind != Meets::Free || o.right.kind != Meets::Free;
  if (!differs) return {};
  nurbs::LoftOptions plain;
  plain.degree = o.degree;
  plain.around = o.around;
  plain.pairs = o.pairs;
  plain.atJoints = o.atJoints;
  const auto made = nurbs::loft(sections, plain, cx);
  return made ? std::optional(nurbs::wrinkleIndex(made->strips)) : std::nullopt;
}

/// What was asked for at the sides of a strip: of guides or lines at the outer ones, of ends at those of sections.
std::array<Meets, 4> askedOfStrip(const Inputs& in, const nurbs::LoftResult& r, size_t k) {
  const size_t per = size_t(r.perStretch), stretch = k / per, piece = k % per;
  const auto asked = [&](const char* key, bool here) {
    return here && in.has(key) ? askedOf(in.text(key)) : Meets::Free;
  };
  return {asked("left", !r.alignment.closed && stretch == 0),
          asked("right", !r.alignment.closed && stretch + 1 == r.strips.size() / per), asked("start", piece == 0),
          asked("end", piece + 1 == per)};
}

/// Names of stretches say of how many they are one: with another corner they are other ones, to be found by shape.
Expected<brep::BodyPtr> skinOf(const Inputs& in, const nurbs::LoftResult& r, const std::vector<PickedSection>& picked,
                               bool around, const Context& cx) {
  const bool reversed = (r.alignment.closed || r.mirror) && facesInwards(r.strips, r.mirror);
  std::vector<brep::NamedSurface> faces;
  const size_t per = size_t(r.perStretch);
  for (size_t k = 0; k < r.strips.size(); ++k) {
    std::string source;
    if (r.strips.size() > per) source = "strip" + std::to_string(k / per + 1) + "of" + std::to_string(r.strips.size() / per);
    const bool ruled = per > 1;
    if (ruled) source += (source.empty() ? "" : ",") + picked[k % per].item;
    const std::string& from = picked[ruled ? k % per : 0].item;
    const std::string& to = picked[ruled ? (k % per + 1) % picked.size() : around ? 0 : picked.size() - 1].item;
    faces.push_back({std::make_shared<const nurbs::Surface>(r.strips[k]), brep::faceName(in.stepId(), "skin", source),
                     reversed, sideNames({"", "", from, to}), askedOfStrip(in, r, k)});
  }
  return brep::skinFromSurfaces(faces, cx);
}

/// Sections in the order in which they are taken.
struct Taken {
  std::vector<PickedSection> given, picked;
  std::optional<std::vector<int>> alongLine; ///< places among `given`, where the centre line says the order
  std::vector<nurbs::Section> sections;
};

Expected<Taken> takenSections(const Inputs& in, const Tolerances& tol) {
  Taken t;
  LUMSK_TRY(given, sectionsIn(in, "sections", tol));
  t.given = std::move(given);
  t.alongLine = orderAlongLine(in, t.given);
  for (size_t i = 0; i < t.given.size(); ++i)
    t.picked.push_back(t.alongLine ? t.given[size_t((*t.alongLine)[i])] : t.given[i]);
  t.sections = sectionsOf(in, "sections", t.picked);
  takeSharedEdges(in, t.sections, tol);
  return t;
}

Expected<nurbs::LoftOptions> optionsOf(const Inputs& in, const Taken& t, const std::vector<NamedPair>& pairs,
                                       const Context& cx) {
  nurbs::LoftOptions o;
  o.degree = in.integer("degree");
  LUMSK_TRY(guides, guidesOf(in, t.sections, cx.tolerances));
  o.guides = std::move(guides);
  if (in.has("gap")) o.largestGap = {in.number("gap")};
  o.around = in.on("around");
  o.atJoints = true;
  const std::string way = in.text("way");
  o.way = way == "ruled" ? nurbs::LoftWay::Ruled : way == "relaxed" ? nurbs::LoftWay::Relaxed : nurbs::LoftWay::Exact;
  if (in.has("relaxed")) o.relaxed = {in.number("relaxed")};
  if (in.has("relaxedTurn") && in.number("relaxedTurn") > 0) o.relaxedTurn = AngleTolerance{in.number("relaxedTurn")};
  if (in.has("centre") && in.text("centre") == "computed") o.centre = nurbs::LoftOptions::Centre::Computed;
  if (in.has("centreLine") && !in.picked("centreLine").empty()) {
    o.centre = nurbs::LoftOptions::Centre::Given;
    LUMSK_TRY(line, centreLineOf(in, t.sections, cx));
    o.centreLine = std::move(line);
  }
  LUMSK_TRY(start, skinEndOf(in, "start", "sections", &t.picked.front().pick, cx));
  LUMSK_TRY(end, skinEndOf(in, "end", "sections", &t.picked.back().pick, cx));
  LUMSK_TRY(left, skinEndOf(in, "left", "sections", guideAtSide(in, t.sections, false), cx));
  LUMSK_TRY(right, skinEndOf(in, "right", "sections", guideAtSide(in, t.sections, true), cx));
  o.start = start, o.end = end, o.left = left, o.right = right;
  o.mirror = mirrorPlane(in);
  for (const NamedPair& p : pairs) o.pairs.push_back(p.at);
  return o;
}

/// A problem of the construction in the words of the form, with what helps there. `order`: a shorter one of the
/// sections, if there is one.
Problem explained(Problem p, const Inputs& in, const Taken& t, bool around, const std::vector<int>& order) {
  if (p.field.empty() && p.code >= "LM-L020" && p.code <= "LM-L026") p.inField("guides");
  if (!order.empty() && p.code == "LM-L037")
    p.inField("sections").what = "the skin folds over itself: the sections do not follow one another in this order";
  if (!order.empty() && (p.code != "LM-L020" && p.code != "LM-L021")) p.offer(orderOffer(order, t.picked, in).second);
  if (p.code == "LM-L020" && p.measured && p.measured->value <= kLargestGapMm) {
    const std::string wide = formatNumber(p.measured->value * 1.02, 3);
    p.offer({"allow " + wide + " mm", "gap", wide});
  }
  if (p.code == "LM-L025")
    p.offer(around ? Remedy{"let it be open", "around", "false"} : Remedy{"let it run around", "around", "true"});
  return p;
}

void noteOrder(Outcome& out, const Inputs& in, const Taken& t, const std::vector<int>& order) {
  const auto note = [&](const char* code, const std::string& what, const std::vector<int>& better,
                        const std::vector<PickedSection>& among) -> Problem& {
    const auto [words, offer] = orderOffer(better, among, in);
    out.notes.push_back(problem(code, what + words).at(out.marks.all<Flag>().front().at).offer(offer));
    return out.notes.back();
  };
  if (!order.empty())
    note("LM-L104", "the sections follow one another more shortly in the order ", order, t.picked)
        .tryThis("drag the chips into that order");
  if (t.alongLine)
    note("LM-L109", "took the sections in the order in which the centre line passes them: ", *t.alongLine, t.given);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(taken, takenSections(in, cx.tolerances));
  const auto pairs = pairsOf(in, taken.picked);
  LUMSK_TRY(o, optionsOf(in, taken, pairs, cx));
  // A picked line says the order.
  const std::vector<int> order =
      o.centre == nurbs::LoftOptions::Centre::Given ? std::vector<int>() : nurbs::shorterOrder(taken.sections);
  const auto made = nurbs::loft(taken.sections, o, cx);
  if (!made) return fail(explained(made.error(), in, taken, o.around, order));
  const nurbs::LoftResult& r = *made;

  LUMSK_TRY(skin, skinOf(in, r, taken.picked, o.around, cx));
  Outcome out;
  LUMSK_CHECK(putOut(out, in, {{skin, r.alignment.closed}}, cx));
  out.marks.add(sectionFlags(taken.sections, r.alignment, taken.picked));
  noteOrder(out, in, taken, order);
  showPairs(out, pairs, taken.sections, r.alignment, taken.picked);
  noteAlignment(out, r.alignment);
  noteEnds(out, "LM-L105", r.join, cx.tolerances);
  noteSections(out, r, o, cx.tolerances);
  LUMSK_CHECK(tellGuides(out, r, cx.tolerances));
  if (r.degree < o.degree && o.degree > kUsualDegree) // nobody asked for the usual one
    out.notes.push_back(problem("LM-L103", "too few sections for the degree across")
                            .measure(count(r.degree))
                            .want(count(o.degree))
                            .tryThis("add sections"));
  addPull(out, "start", r.strips.front(), nurbs::FirstV, o.start.kind);
  addPull(out, "end", r.strips.front(), nurbs::LastV, o.end.kind);
  if (!r.alignment.closed) {
    addPull(out, "left", r.strips.front(), nurbs::FirstU, o.left.kind);
    addPull(out, "right", r.strips.back(), nurbs::LastU, o.right.kind);
  }
  const double wrinkles = nurbs::wrinkleIndex(r.strips);
  if (auto bumpy = bumpyNote(
          "LM-L110", r.strips, wrinkles, [&] { return plainWrinkles(taken.sections, o, cx); }, "without guides, ends and a centre line",
          "let guides and ends agree with how the sections run, smooth the neighbours, or relax the skin"))
    out.notes.push_back(std::move(*bumpy));
  out.summary = summaryOf(r, o.guides.size(), wrinkles);
  return out;
}

} // namespace loft_

Step loft() {
  return {"loft", 1, "Loft", Stage::Surfaces, loft_::schema, loft_::compute, Crossed{"sections", "guides", "", {"pairs"}, "", {"startSkin", "endSkin", "leftSkin", "rightSkin"}}};
}

} // namespace lumsk::steps
