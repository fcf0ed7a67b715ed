#include "nurbs/patch/blend.h"

#include "brep/cut_back.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "inspect/clearance.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "nurbs/on_skin/ribbon.h"
#include "nurbs/patch/boundary.h"
#include "steps/graphs.h"
#include "steps/neighbours.h"
#include "steps/sections.h"
#include "steps/skins.h"

#include <nlohmann/json.hpp>

namespace lumsk::steps {

using namespace recipe;

namespace blend_ {

const std::array<const char*, 2> kSides{"first", "second"};
constexpr double kTogether = 10;       ///< of `point`: picks that lie or end so near belong together
constexpr double kTensionReach = 0.25; ///< of the way across: how far a handle stands off at a tension of 1

Field chainField(const std::string& key, const std::string& label, const std::string& help) {
  Field extent = choice("extent", "What counts", "Of an edge: the edges that go on from it without a corner, itself alone, or all around.",
                        {{"chain", "chain", Kind::Edge}, {"alone", "alone"}, {"loop", "loop", Kind::Edge}});
  return picks(key, label, help, Kind::Edge | Kind::Curve).atLeast(1).atMost(12).prefer(Kind::Edge).eachWith({extent});
}

Field meetsField(const std::string& side, const std::string& label) {
  Field f = continuity(side + "_meets", label, "How the blend meets what lies beside this edge: G0 starts on it; G1 tangent; G2 bent alike; G3 with the same rate of it.",
                       {"g0", "g1", "g2", "g3"});
  f.fallback = "g2";
  return f;
}

Field tensionField(const std::string& key, const std::string& label, const std::string& help) {
  return ratioField(key, label, help + ": how far the blend goes on as its neighbours do before it turns; 1 is as an arc would.", "1")
      .within(0.2, 5)
      .withHandle(Handle::Magnitude);
}

Schema schema() {
  Field along = chainField("along", "Along", "An edge at which two faces of a body meet; they are cut back to both sides of it, and the blend runs between.");
  along.accepts = Kind::Edge;
  return {
      choice("way", "Runs", "Between two edges that lie apart, or along one edge, on both sides of which the faces are cut back.",
             {{"between", "between edges"}, {"along", "along an edge"}}),
      chainField("first", "From", "The edges or curves that the blend leaves, picked anywhere along them, in any order.").when("way", {"between"}),
      chainField("second", "To", "The edges or curves that it reaches.").when("way", {"between"}),
      std::move(along).when("way", {"along"}),
      length("width", "Cut back by", "How far from the edge the faces end, measured straight.", "3").within(1e-3, 1e5).when("way", {"along"}),
      toggle("uneven", "Two widths", "The faces to the right of the edge are cut back by another width.", false).when("way", {"along"}),
      length("other_width", "On the right", "How far from the edge the faces on its right end.", "3").within(1e-3, 1e5).when("way", {"along"}).when("uneven", {"true"}),
      meetsField("first", "Meets the first"),
      meetsField("second", "Meets the second"),
      toggle("locked", "One tension", "Both sides have the same tension.", true),
      tensionField("tension", "Tension", "Of both sides").when("locked", {"true"}),
      tensionField("first_tension", "First tension", "Of the first side").when("locked", {"false"}),
      tensionField("second_tension", "Second tension", "Of the second side").when("locked", {"false"}),
      graph("first_graph", "Along the first", "So many times the tension, at fractions of the first edge's length.", Dimension::Ratio).unless("end_curves", {"picked"}).unless("inside", {"picked"}).seldomSet(),
      graph("second_graph", "Along the second", "So many times the tension, at fractions of the second edge's length.", Dimension::Ratio).unless("end_curves", {"picked"}).unless("inside", {"picked"}).seldomSet(),
      toggle("flip", "Other way round", "Pairs the edges in the direction against the one that fits best.", false).when("way", {"between"}).unless("end_curves", {"picked"}).unless("inside", {"picked"}),
      ratioField("shift", "Shift", "Of closed edges without corners: partners on the second one lie further along by this fraction of its length.", "0")
          .within(-0.5, 0.5)
          .when("way", {"between"})
          .unless("end_curves", {"picked"})
          .unless("inside", {"picked"})
          .seldomSet(),
      choice("ends", "Ends", "How the blend's own borders leave the ends of the edges: straight across to one another, or as the borders of the skins go on.",
             {{"free", "straight across"}, {"borders", "as borders go on"}}).when("way", {"between"}).unless("end_curves", {"picked"}).unless("inside", {"picked"}),
      picks("end_curves", "End curves", "Curves that its borders follow at one or both ends.", Kind::Curve | Kind::Edge).optional().atMost(2).when("way", {"between"}).seldomSet(),
      picks("inside", "Inside", "Curves across that the blend passes through.", Kind::Curve | Kind::Edge).optional().when("way", {"between"}).seldomSet(),
      picks("skins", "Flows into", "Skins, solids or faces that curves lie on, or the face that is meant where two meet; open edges know theirs.",
            Kind::Skin | Kind::Solid | Kind::Face)
          .optional()
          .when("way", {"between"})
          .seldomSet(),
      picks("clear", "Clear of", "Bodies to keep away from: the smallest distance is told.", Kind::Skin | Kind::Solid).optional().seldomSet(),
      length("clearance", "Clearance", "What the blend should keep away from them.", "1").within(0, 1e5).when("clear", {"picked"})};
}

/// A chain of edges with what lies beside it.
struct Chain {
  nurbs::BlendSide side;
  std::vector<std::shared_ptr<brep::ChainFaces>> beside;
};

/// All picks of a field end to end; those that count already with another one are left out.
Expected<nurbs::Path> chainIn(const Inputs& in, const std::string& key, const Context& cx) {
  const double near = kTogether * cx.tolerances.point.mm;
  std::vector<nurbs::Path> parts;
  for (const Picked& p : in.picked(key)) {
    const nurbs::Path& path = *std::get<CurvePtr>(p.object);
    const bool known = std::any_of(parts.begin(), parts.end(), [&](const nurbs::Path& o) { return brep::runsAlong(o, path, near); });
    if (!known) parts.push_back(path);
  }
  if (parts.size() == 1) return parts.front();
  auto chain = nurbs::chained(parts, {near}, cx);
  if (!chain) return fail(chain.error().inField(key));
  return chain->path;
}

/// Bodies with a face (-1: any) that a chain may flow into: those of its own edges, and the picked ones that it lies on.
std::vector<std::pair<brep::BodyPtr, int>> bodiesBeside(const Inputs& in, const std::string& key, const nurbs::Path& path, const Context& cx) {
  std::vector<std::pair<brep::BodyPtr, int>> out;
  const auto add = [&](const brep::BodyPtr& body, int face) {
    for (auto& known : out)
      if (known.first == body) {
        if (known.second < 0) known.second = face;
        return;
      }
    out.push_back({body, face});
  };
  for (const Picked& p : in.picked(key))
    if (p.kind == Kind::Edge && p.body) add(p.body, -1);
  for (const Picked& s : in.picked("skins")) {
    const auto n = neighbourFrom(s, cx);
    if (n && nurbs::placeOn(*n, path.at(0.37 * path.last()), cx.tolerances.point, "", ""))
      add(std::get<brep::BodyPtr>(s.object), s.kind == Kind::Face ? s.index : -1);
  }
  return out;
}

/// What a side is asked for.
Expected<void> takeAsked(Chain& chain, const Inputs& in, size_t which) {
  const std::string key = kSides[which];
  chain.side.meets = meetsNamed(in.text(key + "_meets"));
  chain.side.tension = in.number(in.on("locked") ? "tension" : key + "_tension");
  LUMSK_TRY(along, graphOf(in, key + "_graph"));
  chain.side.tensionAlong = along;
  return {};
}

/// What lies beside a side, from the faces there.
void takeBeside(Chain& chain, bool borders) {
  for (const auto& faces : chain.beside) {
    if (chain.side.neighbourLeft == 0) chain.side.neighbourLeft = faces->left();
    if (!borders) continue;
    for (size_t end : {0u, 1u})
      if (!chain.side.ends[end]) chain.side.ends[end] = faces->borders()[end];
  }
  chain.side.neighbour = [beside = chain.beside](const std::vector<Vec3>& places) {
    if (beside.size() == 1) return beside.front()->beside(places);
    std::vector<nurbs::Neighbour> all;
    for (const auto& faces : beside) all.push_back(faces->beside(places));
    return nurbs::Neighbour([all](const Vec3& p) {
      std::optional<nurbs::NeighbourPlace> best;
      for (const nurbs::Neighbour& n : all)
        if (auto here = n(p); here && (!best || here->distanceMm < best->distanceMm)) best = std::move(here);
      return best;
    });
  };
}

/// A side of a blend along an edge: its faces where they end now.
Expected<Chain> cutChain(const Inputs& in, const brep::CutBack& cut, size_t which, const Context& cx) {
  Chain out;
  LUMSK_CHECK(takeAsked(out, in, which));
  out.side.path = cut.contacts[which];
  LUMSK_TRY(faces, brep::ChainFaces::along(cut.sides[which], out.side.path, -1, cx));
  out.beside.push_back(std::make_shared<brep::ChainFaces>(std::move(faces)));
  if (out.side.meets != Meets::G0) takeBeside(out, false);
  return out;
}

Expected<Chain> chainOf(const Inputs& in, size_t which, const Context& cx) {
  const std::string key = kSides[which];
  Chain out;
  LUMSK_TRY(path, chainIn(in, key, cx));
  out.side.path = std::move(path);
  LUMSK_CHECK(takeAsked(out, in, which));
  if (out.side.meets == Meets::G0) return out;
  for (const auto& [body, face] : bodiesBeside(in, key, out.side.path, cx)) {
    auto faces = brep::ChainFaces::along(body, out.side.path, face, cx);
    if (!faces) return fail(faces.error().inField("skins"));
    out.beside.push_back(std::make_shared<brep::ChainFaces>(std::move(*faces)));
  }
  if (out.beside.empty())
    return fail(problem("LM-H008", "the " + key + " edge is to flow on, but lies on no skin")
                    .at(out.side.path.at(0.5 * out.side.path.last()))
                    .inField(key)
                    .tryThis("pick the skin under \"Flows into\", or take G0 here"));
  takeBeside(out, in.has("ends") && in.text("ends") == "borders");
  return out;
}

/// A blend, and which of its sides lies where.
struct Blended {
  nurbs::BlendResult blend;
  bool turned = false; ///< v runs from the second side to the first
  std::vector<nurbs::PatchCorner> corners; ///< where neighbours and curves disagree
};

/// A blend whose borders or inside follow curves is a patch between them.
Expected<Blended> throughCurves(const Inputs& in, const std::array<nurbs::BlendSide, 2>& sides, const Context& cx) {
  std::vector<nurbs::BoundaryEdge> edges;
  for (const nurbs::BlendSide& s : sides) {
    std::vector<Vec3> places;
    for (int i = 0; i < 9; ++i) places.push_back(s.path.at(s.path.last() * (i + 0.5) / 9));
    edges.push_back({s.path, s.meets, s.neighbour ? s.neighbour(places) : nurbs::Neighbour(), s.tension});
  }
  nurbs::BoundaryOptions o;
  for (const Picked& p : in.picked("end_curves")) edges.push_back({*std::get<CurvePtr>(p.object)});
  for (const Picked& p : in.picked("inside")) o.guides.push_back(*std::get<CurvePtr>(p.object));
  LUMSK_TRY(made, nurbs::boundary(edges, o, cx));
  Blended out;
  nurbs::BlendResult& r = out.blend;
  r.patches = {made.surface};
  r.patches.insert(r.patches.end(), made.further.begin(), made.further.end());
  r.closed = made.surface.closedU();
  out.corners = std::move(made.corners);
  for (size_t k : {0u, 1u}) r.sides[k].gapMm = made.edges[k].gapMm, r.sides[k].join = made.edges[k].join;
  // The sides are to be those of v.
  const int first = made.edges[0].sides.empty() ? 0 : made.edges[0].sides.front();
  if (first % 2)
    for (nurbs::Surface& s : r.patches) s = nurbs::exchanged(s);
  out.turned = first == 1 || first == 2;
  double off = 0;
  for (double mm : made.guideMm) off = std::max(off, mm > 2 * cx.tolerances.fit.mm ? mm : 0.0);
  for (size_t k = 2; k < made.edges.size(); ++k) off = std::max(off, made.edges[k].gapMm);
  r.sides[0].gapMm = std::max(r.sides[0].gapMm, off);
  return out;
}

/// Where the blend meets a chain next to one of its places: at that place, and straight across from there.
struct Across {
  Vec3 at = Vec3::Zero(), direction = Vec3::Zero();
  double widthMm = 0;
};
Across acrossAt(const Blended& b, size_t side, const Vec3& p) {
  Across out;
  const bool last = (side == 1) != b.turned;
  double best = 1e300;
  for (const nurbs::Surface& s : b.blend.patches) {
    const double v = last ? s.lastV() : s.firstV();
    const auto border = nurbs::Path::make({s.isoV(v)}, {1e-9});
    if (!border) continue;
    const auto foot = nurbs::closestPoint(*border, p);
    if (foot.distanceMm >= best) continue;
    best = foot.distanceMm;
    nurbs::SurfaceDerivatives d;
    const double u = s.firstU() + foot.t / border->last() * (s.lastU() - s.firstU());
    s.derivatives(u, v, 1, d);
    out.at = d(0, 0);
    out.direction = (last ? -1.0 : 1.0) * d(0, 1).normalized();
    out.widthMm = (s.at(u, s.lastV()) - s.at(u, s.firstV())).norm();
  }
  return out;
}

void addMarks(Outcome& out, const Inputs& in, const std::array<Chain, 2>& chains, const Blended& r) {
  for (size_t k : {0u, 1u}) {
    const nurbs::Path& path = chains[k].side.path;
    const nurbs::ArcLength length(path);
    const Across middle = acrossAt(r, k, path.at(length.parameterAtFraction(0.5)));
    const std::string key = kSides[k], meets = in.text(key + "_meets");
    Flag flag;
    flag.field = key + "_meets";
    flag.at = middle.at;
    flag.mark = "G" + meets.substr(1);
    flag.group = int(k) + 1;
    out.marks.add(std::move(flag));
    if (chains[k].side.meets == Meets::G0) continue;
    const double reach = kTensionReach * middle.widthMm;
    out.marks.add(HandlePlace{in.on("locked") ? "tension" : key + "_tension", middle.at, middle.direction, reach});
    showGraph(out, in, key + "_graph", path, [&](double f) { return acrossAt(r, k, path.at(length.parameterAtFraction(f))).direction; }, reach);
  }
}

Expected<std::string> clearanceWords(const Inputs& in, const nurbs::BlendResult& r, Outcome& out, const Context& cx) {
  std::vector<brep::BodyPtr> bodies;
  for (const Picked& p : in.picked("clear")) bodies.push_back(std::get<brep::BodyPtr>(p.object));
  LUMSK_TRY(least, inspect::clearanceOf(r.patches, bodies, cx));
  if (!least) return std::string();
  const double wanted = in.number("clearance");
  const Vec3 off = least->from - least->to;
  out.marks.add(Flag{"clear", "", least->from, off.norm() > 0 ? Vec3(off.normalized()) : Vec3(Vec3::Zero()), false, formatNumber(least->mm, 3) + " mm", 1});
  if (least->mm < wanted) {
    Problem p = problem("LM-P104", least->mm > 0 ? "the blend comes nearer to a body than wanted" : "the blend enters a body that it is to stay clear of")
                    .measure(millimetres(least->mm))
                    .want(millimetres(wanted))
                    .at(least->from)
                    .inField("clear")
                    .tryThis("take less tension, or lead it over a curve inside");
    p.item = in.picked("clear")[size_t(least->body)].item;
    out.notes.push_back(std::move(p));
  }
  return " - clear by " + format(millimetres(least->mm), 3);
}

void addNotes(Outcome& out, const nurbs::BlendResult& r, const std::array<Chain, 2>& chains, const Tolerances& tol) {
  for (size_t k : {0u, 1u}) {
    const std::string which = kSides[k];
    if (r.sides[k].join.worst(tol) > 1)
      out.notes.push_back(joinNote("LM-H120", "the blend does not flow on over the " + which + " edge as closely as asked", r.sides[k].join, tol)
                              .inField(which + "_meets")
                              .tryThis("ask for less at this edge, or smooth what lies beside it"));
    if (r.sides[k].gapMm > tol.point.mm)
      out.notes.push_back(problem("LM-H121", "the blend leaves the " + which + " edge, or a curve that it is to follow")
                              .measure(millimetres(r.sides[k].gapMm))
                              .want(millimetres(tol.point.mm))
                              .at(chains[k].side.path.at(0.5 * chains[k].side.path.last()))
                              .tryThis("smooth that edge, or let the curves end on the edges"));
  }
}

std::string summaryOf(const Inputs& in, const nurbs::BlendResult& r, const Tolerances& tol) {
  int points = 0;
  for (const nurbs::Surface& s : r.patches) points += s.controlPoints();
  std::string out;
  for (const char* side : kSides) out += (out.empty() ? "G" : " to G") + in.text(std::string(side) + "_meets").substr(1);
  if (r.patches.size() > 1) out += " - " + std::to_string(r.patches.size()) + " faces";
  out += " - " + std::to_string(points) + " points";
  nurbs::SkinJoin worst;
  for (const auto& s : r.sides) worst.take(s.join, tol);
  if (worst.angleDeg > 0 || worst.curvature > 0)
    out += " - worst join " + format(degrees(worst.angleDeg), 1) + (worst.curvature > 0 ? ", " + formatNumber(100 * worst.curvature, 2) + " %" : "");
  return out + wrinkleWords(nurbs::wrinkleIndex(r.patches));
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const bool along = in.text("way") == "along";
  std::optional<brep::CutBack> cut;
  std::optional<nurbs::Path> edge;
  if (along) {
    LUMSK_TRY(path, chainIn(in, "along", cx));
    edge = std::move(path);
    const auto& picks = in.picked("along");
    for (const Picked& p : picks)
      if (p.body != picks.front().body) {
        Problem two = problem("LM-H025", "the edges are of two bodies").at(edge->at(0.5 * edge->last())).inField("along").tryThis("take edges of one body");
        two.item = p.item;
        return fail(std::move(two));
      }
    const double width = in.number("width");
    auto made = brep::cutBack(picks.front().body, *edge, {width, in.on("uneven") ? in.number("other_width") : width}, cx);
    if (!made) return fail(made.error().inField(made.error().code == "LM-H026" ? "width" : "along"));
    cut = std::move(*made);
  }
  std::array<Chain, 2> chains;
  for (size_t k : {0u, 1u}) {
    LUMSK_TRY(chain, cut ? cutChain(in, *cut, k, cx) : chainOf(in, k, cx));
    chains[k] = std::move(chain);
  }
  const std::array<nurbs::BlendSide, 2> sides{chains[0].side, chains[1].side};
  nurbs::BlendOptions o;
  if (in.has("flip")) o.flip = in.on("flip"), o.shift = in.number("shift");
  const bool curves = !along && (!in.picked("end_curves").empty() || !in.picked("inside").empty());
  Blended blended;
  if (curves) {
    LUMSK_TRY(patch, throughCurves(in, sides, cx));
    blended = std::move(patch);
  } else {
    LUMSK_TRY(spanned, nurbs::blend(sides, o, cx));
    blended.blend = std::move(spanned);
  }
  const nurbs::BlendResult& made = blended.blend;
  Outcome out;
  const auto item = [&](const char* side) { return along ? std::string(side) : in.picked(side).front().item; };
  const std::array<std::string, 4> sources{"", "", item(kSides[blended.turned ? 1 : 0]), item(kSides[blended.turned ? 0 : 1])};
  std::array<Meets, 4> asked{};
  asked[blended.turned ? nurbs::LastV : nurbs::FirstV] = askedOf(in.text("first_meets"));
  asked[blended.turned ? nurbs::FirstV : nurbs::LastV] = askedOf(in.text("second_meets"));
  // Its front is that of the skin it leaves.
  bool reversed = false;
  for (size_t k : {0u, 1u}) {
    const nurbs::Surface& s = made.patches.front();
    const double v = (k == 1) != blended.turned ? s.lastV() : s.firstV();
    const Vec3 at = s.at(0.5, v);
    const auto beside = sides[k].neighbour ? sides[k].neighbour({at})(at) : std::nullopt;
    if (!beside) continue;
    reversed = beside->normal.dot(s.normal(0.5, v)) < 0;
    break;
  }
  std::vector<brep::NamedSurface> faces;
  for (size_t i = 0; i < made.patches.size(); ++i)
    faces.push_back({std::make_shared<const nurbs::Surface>(made.patches[i]), brep::faceName(in.stepId(), "skin", i ? std::to_string(i + 1) : ""),
                     reversed, sideNames(sources), asked});
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  if (cut) {
    const auto border = [&](const nurbs::Surface& s, double u) { return *nurbs::Path::make({s.isoU(u)}, {1e-9}); };
    const std::array<nurbs::Path, 2> borders{border(made.patches.front(), 0), border(made.patches.back(), 1)};
    const Picked& of = in.picked("along").front();
    LUMSK_TRY(whole, brep::rejoined(*cut, brep::namedFaces(*body), borders, made.closed, of.body->solid(), *edge, cx));
    out.outputs.push_back({"", whole, of.objectId()});
    out.usedUp.push_back(of.objectId());
    // The handle of the width stands on the edge.
    const Vec3 at = edge->at(0.5 * edge->last()), there = acrossAt(blended, 0, at).at;
    if ((there - at).norm() > 0) out.marks.add(HandlePlace{"width", at, (there - at).normalized(), 1});
  } else {
    out.outputs.push_back({"", body, ""});
  }
  addMarks(out, in, chains, blended);
  addNotes(out, made, chains, cx.tolerances);
  for (const nurbs::PatchCorner& c : blended.corners) out.notes.push_back(cornerNote(c, cx.tolerances));
  out.summary = summaryOf(in, made, cx.tolerances);
  if (!in.picked("clear").empty()) {
    LUMSK_TRY(words, clearanceWords(in, made, out, cx));
    out.summary += words;
  }
  return out;
}

/// Between two runs of picks that lie apart.
std::vector<MadeThrough::Way> ways(const nlohmann::json& picks, const Model& model) {
  const double near = kTogether * model.recipe->tolerances.point.mm;
  std::vector<std::pair<nlohmann::json, std::vector<Vec3>>> runs; ///< and all their ends
  for (const nlohmann::json& p : picks) {
    const auto picked = follow(p, Kind::Curve | Kind::Edge, model);
    if (!picked) return {};
    const nurbs::Path& path = *std::get<CurvePtr>(picked->object);
    std::pair<nlohmann::json, std::vector<Vec3>> own{nlohmann::json::array({p}), {path.start(), path.end()}};
    for (size_t i = runs.size(); i-- > 0;) {
      const auto& ends = runs[i].second;
      const bool meets = std::any_of(ends.begin(), ends.end(), [&](const Vec3& e) { return std::any_of(own.second.begin(), own.second.end(), [&](const Vec3& o) { return (e - o).norm() <= near; }); });
      if (!meets) continue;
      for (const auto& q : runs[i].first) own.first.push_back(q);
      own.second.insert(own.second.end(), ends.begin(), ends.end());
      runs.erase(runs.begin() + long(i));
    }
    runs.push_back(std::move(own));
  }
  if (runs.size() != 2) return {};
  std::vector<MadeThrough::Way> out;
  for (const char* meets : {"g1", "g2", "g3"})
    out.push_back({std::string(" G") + meets[1], std::make_shared<const nlohmann::json>(nlohmann::json{
                                                     {"first", runs[0].first}, {"second", runs[1].first}, {"first_meets", meets}, {"second_meets", meets}})});
  return out;
}

nlohmann::json bare(const nlohmann::json& inputs, const Model&) {
  nlohmann::json out = nlohmann::json::array();
  if (inputs.value("way", "between") != "between") return out;
  for (const char* key : kSides)
    for (const auto& p : inputs.value(key, nlohmann::json::array())) out.push_back(p);
  return out;
}

} // namespace blend_

Step blend() { return Step{"blend", 1, "Blend", Stage::Flow, blend_::schema, blend_::compute}.through({blend_::ways, blend_::bare}); }

} // namespace lumsk::steps
