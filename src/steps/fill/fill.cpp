#include "brep/fill.h"

#include "brep/curves_on.h"
#include "inspect/edge_sides.h"
#include "recipe/ways.h"
#include "steps/neighbours.h"
#include "steps/openings.h"
#include "steps/skins.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>
#include <set>

namespace lumsk::steps {

using namespace recipe;

namespace fill_ {

Field meetsField(const std::string& label, const std::string& help) {
  Field f = continuity("meets", label, help, {"g0", "g1", "g2"});
  f.fallback = "g1";
  return f;
}

Schema schema() {
  return {
      picks("edges", "Openings", "One edge of each opening to fill; or edges and curves that form a ring, in any order.", Kind::Edge | Kind::Curve)
          .atLeast(1)
          .prefer(Kind::Edge)
          .eachWith({choice("extent", "What counts", "Of an edge: the whole opening that it belongs to, or itself alone as a part of a ring.", {{"opening", "opening", Kind::Edge}, {"alone", "alone"}}),
                     length("fullness", "Fullness", "How far the middle is raised from where the fill is most even.", "0").within(-1e4, 1e4).withHandle(Handle::Distance)}),
      meetsField("Meets", "How the fill meets what lies beside its edges: G0 touches; G1 tangent; G2 bent alike. A click on an edge's flag changes that edge alone."),
      table("own", "Edges of their own", "Edges that meet what lies beside them otherwise.",
            {text("edge", "Edge", "The edge's name.", ""), meetsField("Meets", "How this edge meets what lies beside it.")})
          .clicked(),
      picks("inside", "Inside", "Curves and points that the fill passes through.", Kind::Curve | Kind::Edge | Kind::Point).optional().seldomSet(),
      picks("skins", "Flows into", "Skins, solids or faces that curves among the edges lie on; edges know theirs.", Kind::Skin | Kind::Solid | Kind::Face).optional().seldomSet(),
      choice("made", "Made as", "One skin that the ring trims; or, where the ring has corners, patches with four sides round its middle, whose lines run along its edges.",
             {{"skin", "one skin"}, {"patches", "four-sided patches"}}),
      toggle("knit", "Knit in", "Joins the fill with the body; a body that is closed then becomes a solid.", true),
      length("gap", "Largest gap", "Ends of the ring and edges of the body within this distance are joined.", "0.01").within(0.0001, 5).seldomSet()};
}

/// An edge of a ring as people know it.
struct RingEdge {
  std::string name; ///< of the edge of its body, or of the pick of its curve
  Meets asked = Meets::G1; ///< by the person
  Meets meets = Meets::G0; ///< where there is something to meet
};

class Filling {
public:
  Filling(const Inputs& in, const Context& cx) : in_(in), cx_(cx) {
    const auto names = in.texts("own", "edge"), meets = in.texts("own", "meets");
    for (size_t i = 0; i < names.size(); ++i) own_[names[i]] = meetsNamed(meets[i]);
  }

  Expected<Outcome> run() {
    const double gap = in_.number("gap");
    std::vector<brep::NamedFace> faces;
    const auto rings = ringsIn(in_, "edges", gap);
    for (size_t i = 0; i < rings.size(); ++i) {
      if (cx_.stopped()) return fail(cancelled());
      const PickedRing& r = rings[i];
      LUMSK_TRY(edges, edgesOf(r));
      LUMSK_TRY(options, optionsFor(i, rings));
      const auto nameOf = [&](int patch) { return brep::faceName(in_.stepId(), "fill" + (patch > 0 ? std::to_string(patch) : ""), r.item); };
      auto made = brep::filled(r.ring, asked_, options, in_.text("made") == "patches" ? brep::FillForm::Patches : brep::FillForm::Trimmed, nameOf, cx_);
      if (!made) {
        Problem p = made.error();
        p.item = r.item;
        return fail(std::move(p.inField("edges")));
      }
      take(r, edges, *made, options);
      faces.insert(faces.end(), made->faces.begin(), made->faces.end());
    }
    for (const auto& [name, meets] : own_)
      if (!met_.count(name))
        marks_.notes.push_back(problem("LM-V115", "an edge that was to be met in a way of its own is not at any of these openings: " + name)
                                   .inField("own")
                                   .tryThis("click the flag of the edge that takes its place, or take all out under \"Edges of their own\""));
    LUMSK_TRY(closed, closeWith(in_, "edges", faces, gap, in_.on("knit"), "fill", cx_));
    Outcome out = std::move(closed.outcome);
    for (auto& o : out.outputs)
      if (const auto* body = std::get_if<brep::BodyPtr>(&o.object)) o.object = labelled(**body);
    out.marks = std::move(marks_.marks);
    out.notes.insert(out.notes.end(), marks_.notes.begin(), marks_.notes.end());
    out.summary += words();
    return out;
  }

private:
  /// Names, and what is asked for at every edge, of a ring.
  Expected<std::vector<RingEdge>> edgesOf(const PickedRing& r) {
    std::vector<RingEdge> out;
    asked_.clear();
    const Meets all = meetsNamed(in_.text("meets"));
    for (const TopoDS_Edge& e : r.ring.edges) {
      RingEdge edge;
      brep::FillAsked asked;
      brep::BodyPtr body;
      int index = -1;
      for (size_t i : r.picks) {
        const Picked& p = in_.picked("edges")[i];
        if (!p.body) continue;
        const auto own = brep::edges(*p.body);
        for (size_t k = 0; k < own.size() && index < 0; ++k)
          if (own[k].IsSame(e)) body = p.body, index = int(k);
      }
      edge.name = body ? body->edgeNames[size_t(index)] : r.item + " " + std::to_string(out.size() + 1);
      met_.insert(edge.name);
      const auto own = own_.find(edge.name);
      edge.asked = own == own_.end() ? all : own->second;
      if (edge.asked != Meets::G0) {
        LUMSK_TRY(beside, besideOf(e, body, index));
        asked.neighbour = beside;
        if (beside && body && in_.picked("skins").empty()) asked.out = wayOutOf(*body, index);
        if (beside) edge.meets = asked.meets = edge.asked;
      }
      out.push_back(std::move(edge));
      asked_.push_back(std::move(asked));
    }
    return out;
  }

  /// At the middle of an open edge, out of its face.
  static std::optional<nurbs::WayOut> wayOutOf(const brep::Body& body, int edge) {
    const auto places = inspect::placesAlong(body, edge, 3);
    if (places.size() != 3 || places[1].sides.size() != 1) return {};
    return nurbs::WayOut{places[1].at, -places[1].sides[0].into};
  }

  Expected<nurbs::Neighbour> besideOf(const TopoDS_Edge& e, const brep::BodyPtr& body, int index) {
    const Vec3 at = brep::middleOf(e);
    for (const Picked& skin : in_.picked("skins")) {
      LUMSK_TRY(n, neighbourFrom(skin, cx_));
      if (nurbs::placeOn(n, at, cx_.tolerances.point, "", "")) return n;
    }
    if (!body) return nurbs::Neighbour();
    const auto faces = brep::facesAt(*body, index);
    if (faces.size() != 1)
      return fail(problem("LM-L016", "two faces meet at this edge").at(at).inField("skins").tryThis("pick the face that the fill is to flow into, or take G0 here"));
    auto& known = ready_[{body.get(), faces.front()}];
    if (!known) {
      LUMSK_TRY(made, brep::BodyFaces::of(*body, faces.front(), cx_));
      known = std::make_shared<brep::BodyFaces>(std::move(made));
    }
    return nurbs::Neighbour([known = known, body](const Vec3& p) { return known->beside(p); });
  }

  /// Curves and points inside go to the ring whose middle is nearest for its size.
  Expected<nurbs::FillOptions> optionsFor(size_t number, const std::vector<PickedRing>& rings) const {
    nurbs::FillOptions o;
    if (const auto full = in_.itemNumber("edges", rings[number].picks.front(), "fullness")) o.fullnessMm = *full;
    std::vector<std::pair<Vec3, double>> places;
    for (const PickedRing& r : rings) {
      const Points ring = brep::pointsAlong(r.ring, 16);
      const Vec3 centre = ring.colwise().mean().transpose();
      places.emplace_back(centre, (ring.rowwise() - centre.transpose()).rowwise().norm().maxCoeff());
    }
    for (const Picked& p : in_.picked("inside")) {
      const auto* point = std::get_if<PointObject>(&p.object);
      const auto* curve = std::get_if<CurvePtr>(&p.object);
      const Vec3 at = point ? point->at : (*curve)->at(0.5 * (*curve)->last());
      const auto off = [&](const auto& x) { return (x.first - at).norm() / x.second; };
      const auto own = std::min_element(places.begin(), places.end(), [&](const auto& x, const auto& y) { return off(x) < off(y); });
      if (own - places.begin() != std::ptrdiff_t(number)) continue;
      if (point)
        o.points.push_back(point->at);
      else
        o.inside.push_back(**curve);
    }
    return o;
  }

  void take(const PickedRing& r, const std::vector<RingEdge>& edges, const brep::Filled& f, const nurbs::FillOptions& o) {
    const Tolerances& tol = cx_.tolerances;
    bridgedMm_ = std::max(bridgedMm_, f.bridgedMm);
    flat_ = flat_ && f.flat;
    points_ += f.controlPoints;
    patches_ += f.faces.size() > 1 ? int(f.faces.size()) : 0;
    std::vector<Vec3> lone;
    for (size_t k = 0; k < edges.size(); ++k) {
      const RingEdge& e = edges[k];
      const nurbs::FillEdgeResult& result = f.fill.edges[k];
      worst_.take(result.join, tol);
      Flag flag;
      flag.field = "own", flag.item = e.name, flag.key = "meets";
      flag.at = f.middles[k];
      const bool missed = result.join.worst(tol) > 1;
      flag.mark = "G" + std::to_string(orderOf(e.meets));
      if (missed)
        flag.mark += result.join.angleDeg > tol.angle.deg ? " " + formatNumber(result.join.angleDeg, 2) + "°" : " " + formatNumber(100 * result.join.curvature, 2) + " %";
      flag.group = missed ? 2 : 1;
      marks_.marks.add(std::move(flag));
      placed_.push_back({f.middles[k], e.meets});
      if (e.asked != Meets::G0 && e.meets == Meets::G0) lone.push_back(f.middles[k]);
      const std::string called = "edge " + std::to_string(k + 1) + " of the ring";
      if (missed) {
        Problem p = joinNote("LM-V110", "the fill does not flow on over " + called + " as closely as asked", result.join, tol).tryThis("ask for less at this edge, or smooth what lies beside it");
        const std::string less = result.join.angleDeg > tol.angle.deg ? "g0" : "g1";
        p.offer({std::string("let it be G") + less.substr(1), "own", e.name + "\tmeets\t" + less});
        p.item = r.item;
        marks_.notes.push_back(std::move(p));
      }
      if (result.gapMm > tol.point.mm)
        marks_.notes.push_back(problem("LM-V111", "the fill leaves " + called).measure(millimetres(result.gapMm)).want(millimetres(tol.point.mm)).at(f.middles[k]).tryThis("ask for less at its ends, or smooth it"));
    }
    if (f.patchesOffMm > tol.fit.mm || f.patchesOffDeg > tol.angle.deg)
      marks_.notes.push_back(problem("LM-V116", "the patches do not follow the skin that they divide closely enough, by " + format(millimetres(f.patchesOffMm), 2))
                                 .measure(degrees(f.patchesOffDeg))
                                 .want(degrees(tol.angle.deg))
                                 .at(f.fill.middle)
                                 .tryThis("leave it one skin, or ask for less at its edges"));
    for (const nurbs::PatchCorner& c : f.fill.corners) marks_.notes.push_back(cornerNote(c, tol));
    if (f.fill.rough.worst(tol) > 1)
      marks_.notes.push_back(joinNote("LM-V114", "where what lies beside the ring changes how it bends the fill is off, within 3 % of the edges there", f.fill.rough, tol)
                                 .tryThis("match what lies beside the ring, or leave it: it is the closest that one smooth skin comes"));
    for (const double mm : f.fill.insideMm)
      if (mm > 2 * tol.fit.mm)
        marks_.notes.push_back(problem("LM-V112", "the fill leaves what it is to pass through").measure(millimetres(mm)).want(millimetres(tol.fit.mm)).at(f.fill.middle).tryThis("let curves end on the edges as what lies beside them does, or smooth them"));
    if (!lone.empty()) {
      Problem p = problem("LM-V113", "edges that lie on no skin are only touched").tryThis("pick the skin that they lie on under \"Flows into\", or take G0");
      p.where = lone;
      marks_.notes.push_back(std::move(p));
    }
    if (!f.flat) {
      Vec3 out = f.fill.normal;
      for (const brep::FillAsked& a : asked_)
        if (a.neighbour) {
          const auto beside = a.neighbour(f.middles.front());
          if (beside && beside->normal.dot(out) < 0) out = -out;
          break;
        }
      const double sign = out.dot(f.fill.normal) < 0 ? -1 : 1;
      HandlePlace h{"edges", f.fill.middle - sign * o.fullnessMm * out, out, sign};
      h.item = r.item, h.key = "fullness";
      marks_.marks.add(std::move(h));
    }
  }

  /// What was asked for at its edges is kept with the body, to be looked at with its joins.
  brep::BodyPtr labelled(const brep::Body& body) const {
    auto out = std::make_shared<brep::Body>(body);
    const auto all = brep::edges(body);
    for (size_t i = 0; i < all.size(); ++i) {
      const auto between = brep::facesAt(body, int(i));
      const auto own = std::count_if(between.begin(), between.end(), [&](int f) { return body.faceNames[size_t(f)].rfind(in_.stepId() + ".fill", 0) == 0; });
      if (between.size() != 2 || own == 0) continue;
      if (own == 2) { // patches of one skin
        out->asked[body.edgeNames[i]] = Meets::G2;
        continue;
      }
      const Vec3 at = brep::middleOf(all[i]);
      const auto best = std::min_element(placed_.begin(), placed_.end(), [&](const auto& x, const auto& y) { return (x.first - at).norm() < (y.first - at).norm(); });
      if (best != placed_.end() && best->second != Meets::G0) out->asked[body.edgeNames[i]] = best->second;
    }
    return out;
  }

  std::string words() const {
    std::string out;
    if (flat_) return out + " - flat";
    if (patches_ > 0) out += " - " + std::to_string(patches_) + " patches";
    out += " - " + std::to_string(points_) + " points";
    if (worst_.angleDeg > 0 || worst_.curvature > 0)
      out += " - worst join " + format(degrees(worst_.angleDeg), 1) + (worst_.curvature > 0 ? ", " + formatNumber(100 * worst_.curvature, 2) + " %" : "");
    if (bridgedMm_ > 0) out += " - gap of " + format(millimetres(bridgedMm_), 2) + " bridged";
    return out;
  }

  const Inputs& in_;
  const Context& cx_;
  std::map<std::string, Meets> own_;
  std::set<std::string> met_; ///< edges of the rings
  std::map<std::pair<const brep::Body*, int>, std::shared_ptr<brep::BodyFaces>> ready_;
  std::vector<brep::FillAsked> asked_; ///< of the ring at hand
  Outcome marks_; ///< marks and notes of all rings
  std::vector<std::pair<Vec3, Meets>> placed_;
  nurbs::SkinJoin worst_;
  double bridgedMm_ = 0;
  int points_ = 0, patches_ = 0;
  bool flat_ = true;
};

Expected<Outcome> compute(const Inputs& in, const Context& cx) { return Filling(in, cx).run(); }

/// With G2, G1 and G0 where there are edges, which lie on something to be met.
std::vector<MadeThrough::Way> ways(const nlohmann::json& picks, const Model& model) {
  // Several closed curves are several openings: what fills these is no skin between them.
  const auto closed = [&](const nlohmann::json& p) {
    if (p.contains("from") || p.contains("to")) return false; // a portion
    const auto found = follow(p, Kind::Curve | Kind::Edge, model);
    return found && curveOf(*found)->closed();
  };
  if (picks.size() > 1 && std::any_of(picks.begin(), picks.end(), closed)) return {};
  nlohmann::json edges = picks;
  const auto sameAs = [](const nlohmann::json& a) { return [&a](const nlohmann::json& b) { return a.value("step", "") == b.value("step", "") && a.value("part", "") == b.value("part", ""); }; };
  const nlohmann::json opening = openingOf(picks[0], model);
  const bool whole = opening.size() == picks.size() && std::all_of(picks.begin(), picks.end(), [&](const auto& p) { return std::any_of(opening.begin(), opening.end(), sameAs(p)); });
  if (whole) edges = nlohmann::json::array({picks[0]});
  bool beside = false;
  for (nlohmann::json& p : edges)
    if (p.value("kind", "") == "edge") {
      beside = true;
      if (!whole) p["extent"] = "alone";
    }
  std::vector<MadeThrough::Way> out;
  const auto add = [&](const std::string& name, nlohmann::json inputs) {
    inputs["edges"] = edges;
    out.push_back({name, std::make_shared<const nlohmann::json>(std::move(inputs))});
  };
  if (!beside) add("", nlohmann::json::object());
  else
    for (const char* meets : {"g2", "g1", "g0"}) add(std::string(" G") + meets[1], {{"meets", meets}});
  return out;
}

/// All edges of whole openings one by one; where it fills several openings each would be other curves.
nlohmann::json bare(const nlohmann::json& inputs, const Model& model) {
  nlohmann::json out = nlohmann::json::array();
  const nlohmann::json picks = inputs.value("edges", nlohmann::json::array());
  for (const nlohmann::json& p : picks) {
    const nlohmann::json opening = p.value("extent", "opening") == "opening" ? openingOf(p, model) : nlohmann::json();
    if (opening.empty()) out.push_back(p);
    else if (picks.size() > 1) return nlohmann::json::array();
    else out = opening;
  }
  return out;
}

} // namespace fill_

Step fill() { return Step{"fill", 1, "Fill", Stage::Trim, fill_::schema, fill_::compute}.under("join").through({fill_::ways, fill_::bare}); }

} // namespace lumsk::steps
