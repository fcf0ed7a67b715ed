#include "nurbs/patch/boundary.h"

#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/measure/wrinkles.h"
#include "steps/neighbours.h"
#include "steps/sections.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace boundary_ {

const std::vector<std::string> kFlows{"g1", "g2", "g3"};

Schema schema() {
  Field extent = extentField(); // of curves the name has to be read, beside how the patch meets them
  for (Option& o : extent.options)
    if (o.key == "joined") o.onlyFor = Kind::Edge;
  Field meets =
      continuity("meets", "Meets",
                 "How the patch meets what lies beyond this edge: G0 passes through it; G1 to G3 flow into the "
                 "neighbouring skin; square to the mirror plane it lies in; G3 without a skin: at a mirror plane.",
                 {"g0", "g1", "g2", "g3", "perpendicular"});
  Field tension =
      ratioField("tension", "Tension",
                 "How far the patch goes on as its neighbour does before it turns: 1 is as even as can be.", "1")
          .within(0.2, 5)
          .withHandle(Handle::Magnitude)
          .when("meets", kFlows);
  return {
      picks("edges", "Edges",
            "Two, three or four edges of the patch, in any order: curves, edges, chains; those with corners count as "
            "several.",
            Kind::Curve | Kind::Edge)
          .atLeast(1)
          .atMost(8)
          .eachWith({meets, tension, extent}),
      picks("skins", "Flows into", "Skins, solids or faces that curves among the edges flow into; edges know theirs.",
            Kind::Skin | Kind::Solid | Kind::Face)
          .optional(),
      picks("guides", "Inside", "Curves inside that the patch passes through.", Kind::Curve | Kind::Edge).optional(),
      length("gap", "Largest gap", "Ends of edges that miss one another by at most this are brought together.", "0.01")
          .within(0, 10)
          .seldomSet(),
      choice("pole", "Pole",
             "Of three edges that form a ring: the edge opposite which the patch runs together in one point.",
             {{"auto", "at the sharpest corner"},
              {"first", "opposite the first"},
              {"second", "opposite the second"},
              {"third", "opposite the third"}})
          .seldomSet(),
      ratioField("zone", "Zone",
                 "Where neighbours disagree at a corner: the part of the edges beside it within which curvature may be "
                 "missed.",
                 "0.1")
          .within(0.02, 0.3)
          .seldomSet(),
      mirrorPlaneField()};
}

bool flows(const std::string& meets) { return meets == "g1" || meets == "g2" || meets == "g3"; }

Expected<nurbs::BoundaryEdge> edgeOf(const Inputs& in, const PickedSection& picked, size_t number, const Context& cx) {
  const size_t i = picked.places.front();
  std::string meets = in.itemText("edges", i, "meets");
  if (meets.empty()) meets = "g0";
  nurbs::BoundaryEdge e;
  e.path = *picked.curve;
  e.meets = meetsNamed(meets);
  if (!flows(meets)) return e;
  e.tension = in.itemNumber("edges", i, "tension").value_or(1.0);
  const bool chain = picked.places.size() > 1 || in.itemText("edges", picked.places.front(), "extent") != "alone";
  LUMSK_TRY(n, neighbourOf(in.picked("skins"), picked.pick, *picked.curve, chain, cx));
  e.neighbour = n;
  // A curve along an edge of a skin that it flows into is taken to be that edge.
  if (picked.pick.kind == Kind::Curve)
    for (const Picked& skin : in.picked("skins"))
      if (const auto* body = std::get_if<brep::BodyPtr>(&skin.object))
        if (auto edge = edgeAlong(**body, e.path, cx.tolerances)) e.path = std::move(*edge);
  if (n) return e;
  if (meets == "g3") {
    e.meets = Meets::Mirror;
    return e;
  }
  Problem p = problem("LM-H008", "edge " + std::to_string(number) + " is to flow on, but lies on no skin");
  p.item = picked.item;
  return fail(std::move(p.at(picked.curve->at(0.5 * picked.curve->last()))
                            .inField("edges")
                            .tryThis("pick the skin under \"Flows into\", or let the edge be G0")));
}

Vec3 middleOf(const nurbs::Surface& s, int side, nurbs::SurfaceDerivatives& d) {
  const double u = side == 1 ? s.lastU() : side == 3 ? s.firstU() : 0.5 * (s.firstU() + s.lastU());
  const double v = side == 0 ? s.firstV() : side == 2 ? s.lastV() : 0.5 * (s.firstV() + s.lastV());
  s.derivatives(u, v, 1, d);
  return d(0, 0);
}

/// A flag in the middle of every edge, and handles for the tension of those that flow on.
void addMarks(Outcome& out, const Inputs& in, const nurbs::BoundaryResult& r,
              const std::vector<PickedSection>& picked) {
  for (size_t i = 0; i < picked.size(); ++i) {
    if (r.edges[i].sides.empty()) continue;
    const int side = r.edges[i].sides.front();
    nurbs::SurfaceDerivatives d;
    Flag flag;
    flag.field = "edges";
    flag.item = picked[i].item;
    flag.at = middleOf(r.surface, side, d);
    flag.key = "meets";
    flag.group = side % 2 ? 2 : 1;
    const std::string meets = in.itemText("edges", picked[i].places.front(), "meets");
    if (flows(meets)) flag.mark = "G" + meets.substr(1);
    out.marks.add(std::move(flag));
    const Vec3 across = side % 2 ? d(1, 0) : d(0, 1);
    if (!flows(meets) || !(across.norm() > 0)) continue;
    nurbs::SurfaceDerivatives there;
    const double reach = 0.25 * (middleOf(r.surface, (side + 2) % 4, there) - flag.at).norm();
    HandlePlace h{"edges", flag.at, across.normalized() * (side == 1 || side == 2 ? -1.0 : 1.0), reach};
    h.item = picked[i].item;
    h.key = "tension";
    out.marks.add(std::move(h));
  }
}

void addNotes(Outcome& out, const nurbs::BoundaryResult& r, const std::vector<PickedSection>& picked,
              const Tolerances& tol) {
  for (size_t i = 0; i < r.edges.size(); ++i) {
    const nurbs::SkinJoin& j = r.edges[i].join;
    if (j.worst(tol) <= 1) continue;
    Problem p = joinNote(
        "LM-H101", "the patch does not flow on over edge " + std::to_string(i + 1) + " as closely as asked", j, tol);
    p.item = picked[i].item;
    out.notes.push_back(std::move(p.tryThis("ask for less at this edge, or smooth its neighbour")));
  }
  for (const nurbs::PatchCorner& c : r.corners) out.notes.push_back(cornerNote(c, tol));
  for (size_t i = 0; i < r.edges.size(); ++i)
    if (r.edges[i].gapMm > tol.point.mm)
      out.notes.push_back(problem("LM-H104", "the patch leaves edge " + std::to_string(i + 1))
                              .measure(millimetres(r.edges[i].gapMm))
                              .want(millimetres(tol.point.mm))
                              .at(picked[i].curve->at(0.5 * picked[i].curve->last()))
                              .tryThis("smooth that edge"));
  for (size_t g = 0; g < r.guideMm.size(); ++g)
    if (r.guideMm[g] > 2 * tol.fit.mm)
      out.notes.push_back(problem("LM-H105", "the patch leaves curve " + std::to_string(g + 1) + " inside")
                              .measure(millimetres(r.guideMm[g]))
                              .want(millimetres(tol.fit.mm))
                              .tryThis("let the curve end on the edges as their neighbours do, or smooth it"));
  const bool flow = std::any_of(r.edges.begin(), r.edges.end(), [](const auto& e) { return e.flows; });
  if (!r.poles.empty() && flow) {
    Problem p = problem(
        "LM-H109", "where the edges run together in a point curvature fades out, and joins are not measured, over " +
                       formatNumber(100 * nurbs::PatchFitted::kPoleZone, 2) + " % of the edges");
    p.where = r.poles;
    out.notes.push_back(std::move(p));
  }
  if (r.openSide)
    out.notes.push_back(problem("LM-H106", "three edges that leave a side open: the fourth side is free"));
  if (r.smoothCornerAt)
    out.notes.push_back(problem("LM-H108", "edges go on in one another at this corner: the patch has no normal in it")
                            .at(*r.smoothCornerAt)
                            .tryThis("join these edges, or let the ring turn there"));
}

std::vector<nurbs::Surface> allOf(const nurbs::BoundaryResult& r) {
  std::vector<nurbs::Surface> all{r.surface};
  all.insert(all.end(), r.further.begin(), r.further.end());
  return all;
}

/// The wrinkle index of the patch that only passes through its edges.
std::optional<double> plainWrinkles(std::vector<nurbs::BoundaryEdge> edges, const nurbs::BoundaryOptions& o,
                                    const Context& cx) {
  for (nurbs::BoundaryEdge& e : edges) e.meets = Meets::G0;
  const auto made = nurbs::boundary(edges, o, cx);
  return made ? std::optional(nurbs::wrinkleIndex(allOf(*made))) : std::nullopt;
}

std::string summaryOf(const nurbs::BoundaryResult& r, double wrinkles, const Tolerances& tol) {
  int points = 0;
  for (const nurbs::Surface& s : allOf(r)) points += s.controlPoints();
  std::string out = std::to_string(r.edges.size()) + " edges - " + std::to_string(points) + " points";
  nurbs::SkinJoin worst;
  double gap = 0;
  for (const auto& e : r.edges) {
    gap = std::max(gap, e.gapMm);
    worst.take(e.join, tol);
  }
  out += " - " + format(millimetres(gap), 1);
  if (worst.angleDeg > 0 || worst.curvature > 0)
    out += " - worst join " + format(degrees(worst.angleDeg), 1) +
           (worst.curvature > 0 ? ", " + formatNumber(100 * worst.curvature, 2) + " %" : "");
  return out + wrinkleWords(wrinkles);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(picked, sectionsIn(in, "edges", cx.tolerances, "edge"));
  std::vector<nurbs::BoundaryEdge> edges;
  for (size_t i = 0; i < picked.size(); ++i) {
    LUMSK_TRY(e, edgeOf(in, picked[i], i + 1, cx));
    edges.push_back(std::move(e));
  }
  nurbs::BoundaryOptions o;
  o.largestGap = {in.number("gap")};
  for (const Picked& g : in.picked("guides")) o.guides.push_back(*std::get<CurvePtr>(g.object));
  o.mirror = mirrorPlane(in);
  o.zoneShare = in.number("zone");
  const std::map<std::string, int> poles{{"first", 0}, {"second", 1}, {"third", 2}};
  if (const auto pole = poles.find(in.text("pole")); pole != poles.end()) o.pole = pole->second;
  auto made = nurbs::boundary(edges, o, cx);
  if (!made) {
    Problem p = made.error();
    if (p.code == "LM-H002" && p.measured && p.measured->value <= 1) {
      const std::string wide = formatNumber(p.measured->value * 1.02, 3);
      p.offer({"allow " + wide + " mm", "gap", wide});
    }
    return fail(std::move(p));
  }
  Outcome out;
  std::array<std::string, 4> sources{"pole", "pole", "pole", "pole"};
  std::array<Meets, 4> asked{};
  constexpr std::array<size_t, 4> bySide{2, 1, 3, 0}; // v = 0, u = 1, v = 1, u = 0 among first and last of u, then of v
  for (size_t i = 0; i < picked.size(); ++i)
    for (int side : made->edges[i].sides) {
      sources[bySide[size_t(side)]] = picked[i].item;
      asked[bySide[size_t(side)]] = askedOf(in.itemText("edges", picked[i].places.front(), "meets"));
    }
  const bool reversed = made->mirror && facesInwards({made->surface}, made->mirror);
  std::vector<brep::NamedSurface> faces{{std::make_shared<const nurbs::Surface>(made->surface),
                                         brep::faceName(in.stepId(), "skin", ""), reversed, sideNames(sources), asked}};
  for (size_t i = 0; i < made->further.size(); ++i) // between corners; their own sides are seams
    faces.push_back({std::make_shared<const nurbs::Surface>(made->further[i]),
                     brep::faceName(in.stepId(), "skin", std::to_string(i + 2)), reversed, sideNames(sources), asked});
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  out.outputs.push_back({"", body, ""});
  addMarks(out, in, *made, picked);
  addNotes(out, *made, picked, cx.tolerances);
  const double wrinkles = nurbs::wrinkleIndex(allOf(*made));
  const bool flow = std::any_of(edges.begin(), edges.end(), [](const auto& e) { return e.meets != Meets::G0; });
  if (auto bumpy = !flow ? std::nullopt : bumpyNote(
          "LM-H110", allOf(*made), wrinkles, [&] { return plainWrinkles(edges, o, cx); }, "with G0 everywhere",
          "ask for less where neighbours contradict, smooth them, or divide the patch"))
    out.notes.push_back(std::move(*bumpy));
  out.summary = summaryOf(*made, wrinkles, cx.tolerances);
  return out;
}

} // namespace boundary_

Step boundary() {
  return {"boundary", 1, "Boundary", Stage::Surfaces, boundary_::schema, boundary_::compute, Crossed{"edges", "", "", {}, "guides", {"skins"}}};
}

} // namespace lumsk::steps
