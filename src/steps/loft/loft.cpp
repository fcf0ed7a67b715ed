#include "nurbs/loft.h"

#include "brep/curves_on.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "recipe/rails.h"
#include "steps/curves.h"
#include "steps/graphs.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

const std::vector<std::string> kFlows{"g1", "g2", "g3"};

/// The fields of one end.
void addEnd(Schema& s, const std::string& key, const std::string& label, const std::string& which) {
  s.push_back(continuity(key, label,
                         "How the skin leaves the " + which +
                             " section: free; square to its plane, at a point rounded; leaning outwards; at a point "
                             "flat; flowing into the neighbouring skin; G3 without one: at a mirror plane.",
                         {"free", "perpendicular", "angle", "flat", "g1", "g2", "g3"}));
  s.push_back(angle(key + "Angle", "Angle", "How far the skin leans outwards from square.", "10")
                  .within(-85, 85)
                  .when(key, {"angle"}));
  s.push_back(picks(key + "Skin", "Flows into",
                    "The skin, solid or face that it continues; without one, the face at the picked edge.",
                    Kind::Skin | Kind::Solid | Kind::Face)
                  .optional()
                  .atMost(1)
                  .when(key, kFlows));
  s.push_back(ratioField(key + "Pull", "Pull", "How far the skin goes along that direction: 1 is as an arc would.", "1")
                  .within(0.05, 10)
                  .unless(key, {"free"})
                  .withHandle(Handle::Magnitude));
  s.push_back(
      graph(key + "Along", "Pull along", "Factors of the pull by the fraction along the section.", Dimension::Ratio)
          .when(key, {"angle", "g1", "g2", "g3"}));
}

Schema schema() {
  Schema s{picks("sections", "Sections", "Curves the skin passes through, in order; a point may be first or last.",
                 Kind::Curve | Kind::Edge | Kind::Point)
               .atLeast(2)
               .eachWith({startMark(), flip()})};
  addEnd(s, "start", "Start", "first");
  addEnd(s, "end", "End", "last");
  s.push_back(countField("degree", "Degree across", "Degree across the sections; lowered when there are too few.", "3")
                  .within(1, 7));
  s.push_back(table("pairs", "Pairs",
                    "Places of sections that belong together: click a section while this has the focus, then drag the "
                    "squares of the new pair along the other sections.",
                    {ratioField("at", "At", "Fraction of that section's length.", "0.5").within(0, 1)}));
  s.push_back(sideMeets("left", "Side at starts", "How the skin leaves the side where open sections start"));
  s.push_back(sideMeets("right", "Side at ends", "How the skin leaves the side where open sections end"));
  s.push_back(mirrorPlaneField());
  return s;
}

Expected<std::vector<nurbs::Section>> sectionsOf(const Inputs& in, const Tolerances& tol) {
  std::vector<nurbs::Section> out;
  const auto& picked = in.picked("sections");
  for (size_t i = 0; i < picked.size(); ++i) {
    nurbs::Section s;
    if (const auto* point = std::get_if<PointObject>(&picked[i].object)) {
      s.shape = point->at;
    } else {
      const auto& path = *std::get<CurvePtr>(picked[i].object);
      if (const auto at = nurbs::selfCrossings(path, tol.point); !at.empty())
        return fail(problem("LM-L007", "section " + std::to_string(i + 1) + " crosses itself")
                        .at(at.front())
                        .inField("sections")
                        .tryThis("mend that curve"));
      s.shape = path;
    }
    s.start = in.itemNumber("sections", i, "start");
    s.flip = in.itemOn("sections", i, "flip");
    out.push_back(std::move(s));
  }
  return out;
}

/// Rows of the pairs are called by the pair and the item of the section: "p1.i3".
struct NamedPair {
  std::string name; ///< "p1"
  nurbs::PairLine at;
};
std::vector<NamedPair> pairsOf(const Inputs& in) {
  const auto ids = in.rowIds("pairs");
  const auto at = in.column("pairs", "at");
  const auto& picked = in.picked("sections");
  std::vector<NamedPair> out;
  for (size_t r = 0; r < ids.size(); ++r) {
    const auto [name, item] = railRow(ids[r]);
    const auto section =
        std::find_if(picked.begin(), picked.end(), [&, i = item](const Picked& p) { return p.item == i; });
    if (section == picked.end()) continue; // its section was taken out: the row waits for it
    auto line = std::find_if(out.begin(), out.end(), [&, n = name](const NamedPair& p) { return p.name == n; });
    if (line == out.end()) line = out.insert(out.end(), {name, nurbs::PairLine(picked.size())});
    line->at[size_t(section - picked.begin())] = at[r];
  }
  return out;
}

/// Squares on all sections for every pair, those that are free where they come to lie, and a line through them.
void showPairs(Outcome& out, const std::vector<NamedPair>& pairs, const std::vector<nurbs::Section>& sections,
               const nurbs::Alignment& a, const Inputs& in) {
  const auto& picked = in.picked("sections");
  for (size_t i = 0; i < sections.size(); ++i)
    if (sections[i].path()) out.rails.push_back({"pairs", picked[i].item, std::get<CurvePtr>(picked[i].object)});
  for (const NamedPair& p : pairs) {
    size_t first = 0;
    while (first < p.at.size() && !p.at[first]) ++first;
    const nurbs::LoftPlace place = nurbs::loftPlace(a.sections[first], a.closed, *p.at[first]);
    std::vector<Vec3> line;
    for (size_t i = 0; i < sections.size(); ++i) {
      const nurbs::Path* path = sections[i].path();
      if (!path) {
        line.push_back(*sections[i].point());
        continue;
      }
      const double f = p.at[i] ? *p.at[i] : nurbs::ownFraction(a.sections[i], a.closed, place);
      Grip g{"pairs", railRowId({p.name, picked[i].item}), path->at(nurbs::ArcLength(*path).parameterAtFraction(f))};
      g.moved = p.at[i].has_value();
      g.on = std::get<CurvePtr>(picked[i].object);
      line.push_back(g.at);
      out.grips.push_back(std::move(g));
    }
    out.nets.push_back(std::move(line));
  }
}

/// A flag at every section's start, pointing along it.
std::vector<Flag> flagsFor(const std::vector<nurbs::Section>& sections, const nurbs::LoftResult& r, const Inputs& in) {
  std::vector<Flag> out;
  for (size_t i = 0; i < sections.size(); ++i) {
    Flag f;
    f.field = "sections";
    f.item = in.picked("sections")[i].item;
    if (const nurbs::Path* p = sections[i].path()) {
      const nurbs::ArcLength length(*p);
      const auto& a = r.alignment.sections[i];
      f.at = nurbs::alignedPoint(sections[i], length, a, 0.0);
      f.direction = (nurbs::alignedPoint(sections[i], length, a, 0.004) - f.at).normalized();
      f.startMovable = r.alignment.closed;
    } else {
      f.at = *sections[i].point();
    }
    out.push_back(f);
  }
  return out;
}

void noteAlignment(Outcome& out, const nurbs::LoftResult& r) {
  std::string directions, starts;
  for (size_t i = 0; i < r.alignment.sections.size(); ++i) {
    if (r.alignment.sections[i].changedDirection)
      directions += (directions.empty() ? "" : ", ") + std::to_string(i + 1);
    if (r.alignment.sections[i].changedStart) starts += (starts.empty() ? "" : ", ") + std::to_string(i + 1);
  }
  if (!directions.empty())
    out.notes.push_back(problem("LM-L101", "turned the direction of section " + directions + " for least twist"));
  if (!starts.empty())
    out.notes.push_back(problem("LM-L102", "moved the start of section " + starts + " for least twist"));
}

/// The skin that an end is to flow into: the picked one, or the face at the edge that is its section.
Expected<nurbs::Neighbour> neighbourOf(const Inputs& in, const std::string& key, const Picked& section,
                                       const Context& cx) {
  brep::BodyPtr body;
  int face = -1;
  if (const auto& picked = in.picked(key + "Skin"); !picked.empty()) {
    body = std::get<brep::BodyPtr>(picked.front().object);
    if (picked.front().kind == Kind::Face) face = picked.front().index;
  } else if (section.kind == Kind::Edge && section.body && section.index >= 0) {
    body = section.body;
    const auto faces = brep::facesAt(*body, section.index);
    if (faces.size() > 1)
      return fail(problem("LM-L016", "two faces meet at this edge")
                      .at(placeOf(section))
                      .inField(key + "Skin")
                      .tryThis("pick the face that the skin is to flow into"));
    if (!faces.empty()) face = faces.front();
  }
  if (!body) return nurbs::Neighbour();
  LUMSK_TRY(faces, brep::BodyFaces::of(*body, face, cx));
  const auto kept = std::make_shared<brep::BodyFaces>(std::move(faces));
  return nurbs::Neighbour([kept, body](const Vec3& p) { return kept->beside(p); });
}

Expected<nurbs::LoftEndOptions> endOf(const Inputs& in, const std::string& key, const Picked& section,
                                      const Context& cx) {
  static const std::map<std::string, nurbs::LoftEnd> kinds{
      {"free", nurbs::LoftEnd::Free},   {"perpendicular", nurbs::LoftEnd::Perpendicular},
      {"angle", nurbs::LoftEnd::Angle}, {"flat", nurbs::LoftEnd::Flat},
      {"g1", nurbs::LoftEnd::G1},       {"g2", nurbs::LoftEnd::G2},
      {"g3", nurbs::LoftEnd::G3}};
  nurbs::LoftEndOptions o(kinds.at(in.text(key)));
  if (in.has(key + "Pull")) o.pull = in.number(key + "Pull");
  if (in.has(key + "Angle")) o.angleDeg = in.number(key + "Angle");
  if (in.has(key + "Along")) {
    LUMSK_TRY(along, graphOf(in, key + "Along"));
    o.along = along;
  }
  if (in.text(key)[0] != 'g') return o;
  LUMSK_TRY(neighbour, neighbourOf(in, key, section, cx));
  o.neighbour = neighbour;
  if (!neighbour && o.kind == nurbs::LoftEnd::G3) o.kind = nurbs::LoftEnd::Mirror;
  if (!neighbour && o.kind != nurbs::LoftEnd::Mirror)
    return fail(problem("LM-L017", "the skin to flow into is not known")
                    .at(placeOf(section))
                    .inField(key + "Skin")
                    .tryThis("pick that skin, or an edge of it as section"));
  return o;
}

/// The offer to put the sections in an order in which they follow one another more shortly.
std::pair<std::string, Remedy> orderOffer(const std::vector<int>& better, const Inputs& in) {
  std::string order, items;
  for (int i : better) {
    order += (order.empty() ? "" : ", ") + std::to_string(i + 1);
    items += (items.empty() ? "" : ",") + in.picked("sections")[size_t(i)].item;
  }
  return {order, {"put them in the order " + order, "sections", items}};
}

void noteJoin(Outcome& out, const nurbs::LoftJoin& j, const Tolerances& tol) {
  if (j.worst(tol) <= 1) return;
  Problem p = problem("LM-L105", "an end does not flow on as closely as asked").at(j.at);
  if (j.angleDeg > tol.angle.deg)
    p.measure(degrees(j.angleDeg)).want(degrees(tol.angle.deg));
  else if (j.curvature > tol.curvature.relative)
    p.measure(ratio(j.curvature)).want(ratio(tol.curvature.relative));
  else
    p.measure(ratio(j.rate)).want(ratio(nurbs::LoftJoin::kRateAllowed));
  out.notes.push_back(std::move(p.tryThis("smooth that section and its neighbour, or ask for less at this end")));
}

void addPull(Outcome& out, const nurbs::Surface& s, bool last, nurbs::LoftEnd kind) {
  if (kind == nurbs::LoftEnd::Free || kind == nurbs::LoftEnd::Mirror) return;
  nurbs::SurfaceDerivatives d;
  const double u = 0.5 * (s.firstU() + s.lastU());
  s.derivatives(u, last ? s.lastV() : s.firstV(), 1, d);
  if (d(0, 1).norm() > 0)
    out.handles.push_back({last ? "endPull" : "startPull", d(0, 0), d(0, 1).normalized() * (last ? -1.0 : 1.0),
                           0.3 * (s.at(u, s.lastV()) - s.at(u, s.firstV())).norm()});
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(sections, sectionsOf(in, cx.tolerances));
  nurbs::LoftOptions o;
  o.degree = in.integer("degree");
  LUMSK_TRY(start, endOf(in, "start", in.picked("sections").front(), cx));
  LUMSK_TRY(end, endOf(in, "end", in.picked("sections").back(), cx));
  o.start = start;
  o.end = end;
  o.left = sideMeetsOf(in.text("left"));
  o.right = sideMeetsOf(in.text("right"));
  o.mirror = mirrorPlane(in);
  const auto pairs = pairsOf(in);
  for (const NamedPair& p : pairs) o.pairs.push_back(p.at);
  const std::vector<int> order = nurbs::shorterOrder(sections);
  auto made = nurbs::loft(sections, o, cx);
  if (!made) {
    Problem p = made.error();
    if (!order.empty()) p.offer(orderOffer(order, in).second);
    return fail(std::move(p));
  }
  const nurbs::LoftResult& r = *made;

  const bool reversed = (r.alignment.closed || r.mirror) && facesInwards(r.strips, r.mirror);
  std::vector<brep::NamedSurface> faces;
  int controls = 0;
  for (size_t k = 0; k < r.strips.size(); ++k) {
    controls += r.strips[k].controlPoints();
    faces.push_back({std::make_shared<const nurbs::Surface>(r.strips[k]),
                     brep::faceName(in.stepId(), "skin", r.strips.size() > 1 ? "strip" + std::to_string(k + 1) : ""),
                     reversed,
                     sideNames({"", "", in.picked("sections").front().item, in.picked("sections").back().item})});
  }
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  Outcome out;
  out.outputs.push_back({"", body, ""});
  out.flags = flagsFor(sections, r, in);
  if (!order.empty()) {
    const auto [words, offer] = orderOffer(order, in);
    out.notes.push_back(problem("LM-L104", "the sections follow one another more shortly in the order " + words)
                            .at(out.flags.front().at)
                            .tryThis("drag the chips into that order")
                            .offer(offer));
  }
  showPairs(out, pairs, sections, r.alignment, in);
  noteAlignment(out, r);
  noteJoin(out, r.join, cx.tolerances);
  if (r.degree < o.degree)
    out.notes.push_back(problem("LM-L103", "too few sections for the degree across")
                            .measure(count(r.degree))
                            .want(count(o.degree))
                            .tryThis("add sections"));
  for (const bool last : {false, true}) addPull(out, r.strips[0], last, last ? o.end.kind : o.start.kind);
  out.summary = std::to_string(sections.size()) + " sections - " + std::to_string(controls) + " points - " +
                format(millimetres(r.sectionDeviationMm), 1);
  return out;
}

} // namespace

Step loft() { return {"loft", 1, "Loft", Stage::Surfaces, schema, compute}; }

} // namespace lumsk::steps
