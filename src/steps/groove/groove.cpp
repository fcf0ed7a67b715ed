#include "nurbs/sweep/groove.h"

#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/skin.h"
#include "nurbs/measure/closest.h"
#include "nurbs/on_skin/ribbon.h"
#include "nurbs/sweep/pipe.h"
#include "steps/neighbours.h"
#include "steps/sections.h"
#include "steps/skins.h"
#include "steps/solids.h"

#include <algorithm>
#include <set>

namespace lumsk::steps {

using namespace recipe;

namespace groove_ {

Schema schema() {
  return {
      picks("paths", "Along", "Curves on a skin and edges, any number of them; those that meet end to end run on in one another.", Kind::Curve | Kind::Edge)
          .atLeast(1)
          .eachWith({extentField()}),
      picks("on", "On", "The faces or the skin on which they lie: the groove is square to it. Without, the body that is changed; where two faces meet at an edge, one of them.",
            Kind::Face | Kind::Skin | Kind::Solid)
          .prefer(Kind::Face)
          .optional(),
      picks("grooved", "Groove in", "Solids that get the groove.", Kind::Solid).optional(),
      picks("ridged", "Ridge on", "Solids that get a ridge. With both, it fits into the groove: ledge and lip of two shells.", Kind::Solid).optional(),
      choice("shape", "Shape", "Across: square; an arc; or two flanks.", {{"square", "square"}, {"round", "round"}, {"pointed", "pointed"}}),
      choice("side", "Side", "Where it lies, seen from outside along the curve.", {{"middle", "in the middle"}, {"left", "to the left"}, {"right", "to the right"}}),
      length("width", "Width", "Across the curve.", "1").within(0, 1e4).withHandle(Handle::Distance),
      length("depth", "Depth", "Of the groove, or height of the ridge.", "1").within(0, 1e4).withHandle(Handle::Distance),
      length("play", "Play", "Between the ridge and its groove, all around.", "0.1").within(0, 100).when("grooved", {"picked"}).when("ridged", {"picked"}),
      toggle("flip", "Other way", "The groove goes outwards, the ridge inwards: where the skin is that of a body beside.", false),
      choice("ends", "Ends", "Of a groove's curves that end at an edge of the skin: it runs out there, or ends with the curve.", {{"out", "run out"}, {"flat", "end there"}})
          .when("grooved", {"picked"})};
}

/// An edge says which body, but not on which of its two faces the groove stands, unless these go on in one another.
Expected<void> checkEdges(const Inputs& in, const Context& cx) {
  for (const Picked& p : in.picked("paths")) {
    if (p.kind != Kind::Edge || !p.body || p.index < 0) continue;
    const auto faces = brep::facesAt(*p.body, p.index);
    if (faces.size() != 2) continue;
    const auto& path = *std::get<CurvePtr>(p.object);
    const Vec3 at = path.at(0.5 * path.last());
    std::array<Vec3, 2> normals{Vec3::Zero(), Vec3::Zero()};
    for (const size_t k : {0, 1}) {
      LUMSK_TRY(side, brep::BodyFaces::of(*p.body, faces[k], cx));
      if (const auto place = side.beside(at)) normals[k] = place->normal;
    }
    if (normals[0].dot(normals[1]) >= std::cos(radFromDeg(cx.tolerances.corner.deg))) continue;
    Problem two = problem("LM-X021", "two faces meet at this edge with a kink: the groove can stand on either").at(at).inField("on").tryThis("pick the face that it is to stand on");
    two.item = p.item;
    return fail(std::move(two));
  }
  return {};
}

/// The skin below: the picked faces together, or those of the first body that is changed on which the curves lie.
Expected<nurbs::Neighbour> skinBelow(const Inputs& in, const std::vector<nurbs::Path>& curves, const Context& cx) {
  std::vector<nurbs::Neighbour> all;
  for (const Picked& p : in.picked("on")) {
    LUMSK_TRY(one, neighbourFrom(p, cx));
    all.push_back(std::move(one));
  }
  if (all.empty()) {
    LUMSK_CHECK(checkEdges(in, cx));
    Picked face = (in.picked("grooved").empty() ? in.picked("ridged") : in.picked("grooved")).front();
    const auto body = std::get<brep::BodyPtr>(face.object);
    LUMSK_TRY(whole, brep::BodyFaces::of(*body, -1, cx));
    constexpr int kLooks = 48; // between their ends, where several faces may meet
    std::set<int> below;
    for (const nurbs::Path& c : curves)
      for (int k = 0; k < kLooks; ++k)
        if (const auto at = whole.nearest(c.at(c.last() * (k + 0.5) / kLooks))) below.insert(at->face);
    face.kind = Kind::Face;
    for (int f : below) {
      face.index = f;
      LUMSK_TRY(one, neighbourFrom(face, cx));
      all.push_back(std::move(one));
    }
  }
  return nurbs::Neighbour([all](const Vec3& p) {
    std::optional<nurbs::NeighbourPlace> best;
    for (const auto& n : all)
      if (auto place = n(p); place && (!best || place->distanceMm < best->distanceMm)) best = place;
    return best;
  });
}

/// Whether a place lies on an edge of one of some bodies.
bool onEdge(const std::vector<Picked>& bodies, const Vec3& at, double within) {
  for (const Picked& b : bodies)
    for (const TopoDS_Edge& e : brep::edges(*std::get<brep::BodyPtr>(b.object)))
      if (const auto path = brep::toPath(e); path && nurbs::closestPoint(*path, at).distanceMm <= within) return true;
  return false;
}

class Groover {
public:
  Groover(const Inputs& in, const Context& cx) : in_(in), cx_(cx) {}

  Expected<Outcome> run() {
    if (in_.picked("grooved").empty() && in_.picked("ridged").empty())
      return fail(problem("LM-X022", "the body that gets the groove or the ridge").inField("grooved").isMissing());
    for (const Picked& g : in_.picked("grooved"))
      for (const Picked& r : in_.picked("ridged"))
        if (g.objectId() == r.objectId()) return fail(problem("LM-X022", "a body cannot get both the ridge and its groove").inField("ridged").tryThis("pick the other body"));
    LUMSK_TRY(picked, sectionsIn(in_, "paths", cx_.tolerances, "curve"));
    picked_ = std::move(picked);
    std::vector<nurbs::Path> curves;
    for (const auto& p : picked_) curves.push_back(*p.curve);
    LUMSK_TRY(runs, nurbs::runsOf(curves, std::vector<int>(curves.size(), 0), cx_.tolerances.point));
    runs_ = std::move(runs);
    LUMSK_TRY(skin, skinBelow(in_, curves, cx_));
    skin_ = std::move(skin);
    LUMSK_CHECK(put(true));
    auto ridge = put(false);
    if (!ridge && ridge.error().code.rfind("LM-B01", 0) == 0 && flush_) {
      // Flush with an edge its side grazes the wall below: it stands back by next to nothing.
      setBackMm_ = kSetBackTolerances * cx_.tolerances.point.mm;
      auto back = put(false);
      if (back) out_.notes.push_back(problem("LM-X120", "flush with the edge the ridge cannot be added: it stands back by").measure(millimetres(setBackMm_)).at(runs_.front().path.start()).tryThis("let it lie in the middle of the rim"));
      if (back || isCancelled(back.error())) ridge = std::move(back);
    }
    LUMSK_CHECK(ridge);
    addHandles();
    out_.summary = format(millimetres(in_.number("width"))) + " wide - " + format(millimetres(in_.number("depth"))) + (in_.picked("ridged").empty() ? " deep - " : " high - ") +
                   std::to_string(controls_) + " points - " + format(millimetres(offMm_), 1);
    return std::move(out_);
  }

private:
  /// Its section: a groove of a ridge is as this, and larger by the play.
  nurbs::GrooveOptions optionsOf(const nurbs::Path& along, bool groove) {
    nurbs::GrooveOptions o;
    const std::string shape = in_.text("shape"), side = in_.text("side");
    o.shape = shape == "round" ? nurbs::GrooveShape::Round : shape == "pointed" ? nurbs::GrooveShape::Pointed : nurbs::GrooveShape::Square;
    const double width = in_.number("width");
    o.leftMm = side == "middle" ? 0.5 * width : side == "left" ? width : 0.0;
    o.rightMm = width - o.leftMm;
    if (!groove) (side == "left" ? o.rightMm : o.leftMm) -= side == "middle" ? 0.0 : setBackMm_;
    o.reachMm = in_.number("depth");
    const bool fits = in_.has("play");
    o.inwards = (groove && !fits) != in_.on("flip");
    o.playMm = groove && fits ? in_.number("play") : 0.0;
    // Through the skin wherever it lies beside the curve.
    constexpr double kMore = 1.1, kPastShare = 0.3, kRootShare = 0.2;
    const double root = kRootShare * std::min(width, o.reachMm);
    for (const size_t k : {0, 1}) {
      const double aside = k == 0 ? o.leftMm + o.playMm : -o.rightMm - o.playMm;
      const nurbs::SkinRise rise = aside != 0 ? nurbs::riseBeside(along, skin_, aside) : nurbs::SkinRise{};
      o.pastMm[k] = kMore * (o.inwards ? rise.highest : -rise.lowest);
      if (groove) o.pastMm[k] += kPastShare * (width + o.reachMm);
      else if (std::abs(aside) > setBackMm_ || !onEdge(in_.picked("ridged"), along.at(0.5 * along.last()), kOnEdgeTolerances * cx_.tolerances.point.mm)) o.pastMm[k] += root;
      else flush_ = true, o.pastMm[k] = 2 * setBackMm_; // with an edge: there it draws in at once
    }
    if (groove) o.pastMm[0] = o.pastMm[1] = std::max(o.pastMm[0], o.pastMm[1]);
    else o.rootMm = root;
    if (groove && in_.text("ends") == "out" && !along.closed())
      for (const size_t e : {0, 1})
        if (onEdge(in_.picked("grooved"), e ? along.end() : along.start(), kOnEdgeTolerances * cx_.tolerances.point.mm)) o.beyondMm[e] = width + 2 * o.reachMm + o.playMm;
    return o;
  }

  Expected<void> put(bool groove) {
    const char* field = groove ? "grooved" : "ridged";
    if (in_.picked(field).empty()) return {};
    std::vector<MadeSkin> skins;
    for (const auto& r : runs_) {
      if (cx_.stopped()) return fail(cancelled());
      const PickedSection& of = picked_[size_t(*std::min_element(r.curves.begin(), r.curves.end()))];
      auto made = nurbs::groove(r.path, optionsOf(r.path, groove), skin_, cx_);
      if (!made) {
        Problem p = made.error();
        if (p.code == "LM-X022" || p.code == "LM-Y003" || p.code == "LM-Y004") p.inField("width");
        else if (p.code == "LM-X021" ) p.inField("on");
        else p.inField("paths");
        if (p.field == "paths" && picked_.size() > 1) p.item = of.item;
        return fail(std::move(p));
      }
      std::vector<brep::NamedSurface> faces;
      addSwept(faces, in_, *made, groove ? "groove" : "ridge", runs_.size() > 1 ? of.item : "", of.item);
      LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx_));
      skins.push_back({body, true});
      for (const auto& f : faces) controls_ += f.surface->controlPoints();
      offMm_ = std::max(offMm_, made->deviationMm);
    }
    LUMSK_TRY(solids, solidsOf(in_, skins, cx_));
    auto done = combineInto(out_, in_, field, groove ? brep::Combine::Cut : brep::Combine::Add, solids, cx_);
    if (!done && done.error().field.empty()) done.error().inField(field);
    // Along an edge one of its sides is beside the body.
    const std::string side = in_.text("side");
    if (!done && !isCancelled(done.error()) && side != "middle") {
      const std::string other = side == "left" ? "right" : "left";
      done.error().offer({"to the " + other, "side", other});
    }
    return done;
  }

  void addHandles() {
    const nurbs::Path& p = runs_.front().path;
    const double t = 0.5 * p.last();
    const auto on = skin_(p.at(t));
    if (!on) return;
    const bool inwards = in_.picked("ridged").empty() != in_.on("flip");
    const Vec3 left = on->normal.cross(nurbs::unitTangent(p, t));
    const std::string side = in_.text("side");
    out_.marks.add(HandlePlace{"depth", p.at(t), inwards ? Vec3(-on->normal) : on->normal, 1.0});
    out_.marks.add(HandlePlace{"width", p.at(t), side == "right" ? Vec3(-left) : left, side == "middle" ? 0.5 : 1.0});
  }

  static constexpr double kOnEdgeTolerances = 20, kSetBackTolerances = 10;
  const Inputs& in_;
  const Context& cx_;
  Outcome out_;
  std::vector<PickedSection> picked_;
  std::vector<nurbs::PipeRun> runs_;
  nurbs::Neighbour skin_;
  bool flush_ = false;     ///< a side of the ridge lies along an edge
  double setBackMm_ = 0;   ///< from there
  int controls_ = 0;
  double offMm_ = 0;
};

Expected<Outcome> compute(const Inputs& in, const Context& cx) { return Groover(in, cx).run(); }

} // namespace groove_

Step groove() { return {"groove", 1, "Groove", Stage::Solid, groove_::schema, groove_::compute}; }

} // namespace lumsk::steps
