#include "nurbs/reshape/match.h"

#include "brep/curves_on.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "steps/face_sides.h"
#include "steps/neighbours.h"

#include <map>

namespace lumsk::steps {

using namespace recipe;

namespace match_ {

constexpr double kLengthNoted = 1.5; ///< times: what a side and its target may differ in length without a word
constexpr double kEndsNear = 0.1;    ///< of its length: ends go to ends that are so much farther than the nearest place

Schema schema() {
  Field meets = continuity("meets", "Meets",
                           "How the skin meets its target over this edge: it ends there; tangent; bent alike; with the "
                           "same rate of it. At a plane: square from G1 on, without a kink at G3.",
                           {"g0", "g1", "g2", "g3"});
  meets.fallback = "g2";
  Field far = choice("far", "Far edge keeps",
                     "What stays at the edge opposite: its place, tangents, bending, or the rate of it.",
                     {{"auto", "what there is room for"},
                      {"g0", "its place"},
                      {"g1", "tangents"},
                      {"g2", "bending"},
                      {"g3", "its rate too"}});
  return {
      picks("edges", "Edges", "Whole edges of a skin that move.", Kind::Edge)
          .atLeast(1)
          .atMost(8)
          .othersTo("targets")
          .eachWith(
              {meets, ratioField("reach", "Reach", "How far into the skin the change goes: 1 is to the far edge.", "1")
                          .within(0.05, 1)
                          .withHandle(Handle::Magnitude)}),
      picks("targets", "Match to", "Edges, curves, skins or mirror planes; each edge goes to the nearest one.",
            Kind::Edge | Kind::Curve | Kind::Face | Kind::Skin | Kind::Solid | Kind::Plane)
          .prefer(Kind::Edge)
          .atLeast(1)
          .atMost(8),
      choice("move", "Move", "What moves: the edges, or the edge and its target, each halfway.",
             {{"edges", "the edges"}, {"both", "both"}}),
      choice("along", "Along it", "Where places of an edge go on another edge or curve.",
             {{"auto", "by itself"}, {"ends", "ends to ends"}, {"near", "to the nearest"}})
          .seldomSet(),
      std::move(far),
      picks("skins", "Flows into", "Skins, solids or faces that curves among the targets lie on; edges know theirs.",
            Kind::Skin | Kind::Solid | Kind::Face)
          .optional()};
}

/// What edges are matched to.
class Aim {
public:
  static Expected<Aim> of(const Picked& p, const Inputs& in, const FaceSide& first, const Context& cx) {
    Aim out;
    if (const auto* plane = std::get_if<PlaneObject>(&p.object)) out.plane_ = plane->frame;
    if (const auto* c = std::get_if<CurvePtr>(&p.object)) {
      out.path_ = *c;
      out.length_ = std::make_shared<nurbs::ArcLength>(**c);
      const auto own = first.body == p.body && first.body ? brep::facesAt(*p.body, p.index) : std::vector<int>();
      if (own.size() == 2) { // of the same skin: the face on the other side
        Picked other = p;
        other.kind = Kind::Face;
        other.object = p.body;
        other.index = own[own[0] == first.face ? 1 : 0];
        LUMSK_TRY(n, neighbourFrom(other, cx));
        out.neighbour_ = n;
      } else {
        LUMSK_TRY(n, neighbourOf(in.picked("skins"), p, **c, false, cx));
        out.neighbour_ = n;
      }
      if (p.kind == Kind::Edge && !p.master && p.body)
        if (const auto side =
                sideAt(p.body, p.index, **c, cx.tolerances.point, first.body == p.body ? first.face : -1)) {
          out.side_ = *side;
          out.side_->pick = p;
          out.line_ = std::make_shared<nurbs::SideLine>(*side->surface, side->side);
        }
    } else if (std::holds_alternative<brep::BodyPtr>(p.object)) {
      LUMSK_TRY(n, neighbourFrom(p, cx));
      out.neighbour_ = n;
    }
    return out;
  }

  double distance(const Vec3& p) const {
    if (plane_) return std::abs((p - plane_->origin).dot(plane_->normal()));
    if (path_) return nurbs::closestPoint(*path_, p).distanceMm;
    const auto n = neighbour_(p);
    return n ? n->distanceMm : 1e300;
  }

  bool flows() const { return plane_ || neighbour_; }
  const std::optional<FaceSide>& side() const { return side_; }

  nurbs::MatchTarget target(const nurbs::SideLine& own, const std::string& along, int order, const Context& cx) const {
    if (plane_)
      return [plane = *plane_](const nurbs::OnMatchSide& p) -> Expected<nurbs::MatchPlace> {
        const Vec3 n = plane.normal();
        return nurbs::MatchPlace{p.at - (p.at - plane.origin).dot(n) * n, {}, n};
      };
    if (!path_)
      return [n = neighbour_](const nurbs::OnMatchSide& p) -> Expected<nurbs::MatchPlace> {
        if (const auto beside = n(p.at)) return nurbs::MatchPlace{beside->d(0, 0), *beside, {}};
        return fail(noPlace(p.at));
      };
    const bool ends = along == "ends" || (along == "auto" && endsNear(own));
    if (ends && line_) return nurbs::ontoSide(*line_, own);
    const bool turned = (own.at(0) - path_->start()).norm() + (own.at(1) - path_->end()).norm() >
                        (own.at(0) - path_->end()).norm() + (own.at(1) - path_->start()).norm();
    return [path = path_, length = length_, n = neighbour_, ends, turned, order,
            tol = cx.tolerances.point](const nurbs::OnMatchSide& p) -> Expected<nurbs::MatchPlace> {
      const double share = turned ? 1 - p.share : p.share;
      // Ends are ends, also of closed ones.
      const double t = ends ? std::clamp(length->parameterAt(share * length->total()), 0.0, path->last())
                            : nurbs::closestPoint(*path, p.at).t;
      nurbs::MatchPlace out{path->at(t), {}, {}};
      if (order == 0) return out;
      LUMSK_TRY(beside, nurbs::placeOn(n, out.at, tol, "what the edge is matched to",
                                       "pick the skin under \"Flows into\" on which it lies"));
      out.beside = beside;
      return out;
    };
  }

private:
  static Problem noPlace(const Vec3& at) {
    return problem("LM-J007", "what the edge is matched to has no place near here")
        .at(at)
        .inField("targets")
        .tryThis("move the skin nearer to it");
  }
  /// Ends lie about as near to the target's ends as to any other place of it.
  bool endsNear(const nurbs::SideLine& own) const {
    if (path_->closed()) return false;
    const Vec3 a = own.at(0), b = own.at(1);
    const double apart = std::min((a - path_->start()).norm() + (b - path_->end()).norm(),
                                  (a - path_->end()).norm() + (b - path_->start()).norm());
    return apart < distance(a) + distance(b) + kEndsNear * own.lengthMm();
  }

  std::optional<Frame> plane_;
  CurvePtr path_;
  std::shared_ptr<nurbs::ArcLength> length_;
  nurbs::Neighbour neighbour_;
  std::optional<FaceSide> side_;
  std::shared_ptr<nurbs::SideLine> line_;
};

/// An edge that moves, and what it goes to.
struct Moving {
  FaceSide from;
  size_t item = 0; ///< of its field
  const Aim* aim = nullptr;
  int order = 0;
  double reach = 1;
  nurbs::MatchedSide made;
};

Expected<std::vector<Moving>> movingIn(const Inputs& in, const Context& cx) {
  std::vector<Moving> out;
  const auto& edges = in.picked("edges");
  for (size_t i = 0; i < edges.size(); ++i) {
    LUMSK_TRY(side, sideOf(edges[i], "edge " + std::to_string(i + 1), cx.tolerances.point));
    if (!out.empty() && side.body != out.front().from.body) {
      Problem p = problem("LM-J006", "edge " + std::to_string(i + 1) + " belongs to another skin than the first one");
      p.item = edges[i].item;
      return fail(std::move(p.at(side.middle()).inField("edges").tryThis("match the other skin in a step of its own")));
    }
    const std::string meets = in.itemText("edges", i, "meets");
    Moving m{side, i, nullptr, meets.empty() ? 2 : meets[1] - '0', in.itemNumber("edges", i, "reach").value_or(1.0),
             {}};
    out.push_back(std::move(m));
  }
  return out;
}

/// Each edge goes to the target that lies nearest to it.
Expected<void> assign(std::vector<Moving>& moving, const std::vector<Aim>& aims, const Inputs& in) {
  for (Moving& m : moving) {
    const nurbs::SideLine line(*m.from.surface, m.from.side);
    double best = 1e300;
    for (const Aim& aim : aims) {
      double mean = 0;
      for (int k = 0; k < 7; ++k) mean += aim.distance(line.at((k + 0.5) / 7)) / 7;
      if (mean < best) best = mean, m.aim = &aim;
    }
    if (m.order == 0 || m.aim->flows()) continue;
    Problem p =
        problem("LM-J008", "edge " + std::to_string(m.item + 1) + " is to flow on into a curve that lies on no skin");
    p.item = in.picked("edges")[m.item].item;
    return fail(std::move(p.at(line.at(0.5))
                              .inField("edges")
                              .tryThis("pick the skin under \"Flows into\", or let the edge meet it with G0")));
  }
  return {};
}

/// Where bodies' faces were changed.
struct Changes {
  brep::OtherSplines first, second; ///< of the moved body and of the other
  int points = 0, more = 0;
  double movedMm = 0;
  Vec3 movedAt = Vec3::Zero();
  std::optional<Vec3> foldsAt;

  void take(brep::OtherSplines& faces, const FaceSide& of, const nurbs::MatchResult& r) {
    faces[of.face].surface = std::make_shared<const nurbs::Surface>(r.surface);
    points += r.surface.controlPoints();
    more += r.surface.controlPoints() - of.surface->controlPoints();
    if (r.movedMm > movedMm) movedMm = r.movedMm, movedAt = r.movedAt;
    if (r.foldsAt) foldsAt = r.foldsAt;
  }
};

/// Edges that only meet are not smooth by intent.
Meets meetsOf(int order) {
  static constexpr Meets kMeets[] = {Meets::Free, Meets::G1, Meets::G2, Meets::G3};
  return kMeets[size_t(order)];
}

Expected<Changes> matched(std::vector<Moving>& moving, const Inputs& in, const Context& cx) {
  nurbs::MatchOptions o;
  if (const std::string far = in.text("far"); far != "auto") o.far = far[1] - '0';
  Changes out;
  if (in.text("move") == "both") {
    Moving& m = moving.front();
    const auto& other = m.aim->side();
    if (moving.size() > 1 || !other || (other->body == m.from.body && other->face == m.from.face))
      return fail(problem("LM-J009", "both move only where one edge meets a whole edge of another skin")
                      .at(m.from.middle())
                      .inField("move")
                      .tryThis("move the edges alone, or match them one by one"));
    LUMSK_TRY(made, nurbs::matchBoth(*m.from.surface, {m.from.side, m.order, {}, m.reach}, *other->surface,
                                     {other->side, m.order, {}, m.reach}, o, cx));
    m.made = made.first.sides[0];
    out.take(out.first, m.from, made.first);
    brep::OtherSplines& second = other->body == m.from.body ? out.first : out.second;
    out.take(second, *other, made.second);
    out.first[m.from.face].asked[m.from.side] = second[other->face].asked[other->side] = meetsOf(m.order);
    return out;
  }
  std::map<int, std::vector<Moving*>> byFace;
  for (Moving& m : moving) byFace[m.from.face].push_back(&m);
  for (auto& [face, group] : byFace) {
    std::vector<nurbs::MatchSide> sides;
    for (const Moving* m : group) {
      const nurbs::SideLine line(*m->from.surface, m->from.side);
      sides.push_back({m->from.side, m->order, m->aim->target(line, in.text("along"), m->order, cx), m->reach});
    }
    LUMSK_TRY(made, nurbs::matchSides(*group.front()->from.surface, sides, o, cx));
    out.take(out.first, group.front()->from, made);
    for (size_t i = 0; i < group.size(); ++i) {
      group[i]->made = made.sides[i];
      out.first[face].asked[group[i]->from.side] = meetsOf(group[i]->order);
    }
  }
  return out;
}

std::string figures(double gap, const nurbs::SkinJoin& j, int order) {
  std::string out = format(millimetres(gap), 1);
  if (order > 0) out += ", " + formatNumber(j.angleDeg, 3) + " deg";
  if (order > 1) out += ", " + formatNumber(100 * j.curvature, 2) + " %";
  return out;
}

void addNotes(Outcome& out, const std::vector<Moving>& moving, const Changes& c, const Inputs& in,
              const Tolerances& tol) {
  const auto add = [&](const Moving& m, Problem p) {
    p.item = in.picked("edges")[m.item].item;
    out.notes.push_back(std::move(p));
  };
  for (const Moving& m : moving) {
    const std::string who = "edge " + std::to_string(m.item + 1);
    const nurbs::MatchedSide& r = m.made;
    if (r.join.worst(tol) > 1)
      add(m, joinNote("LM-J101", who + " does not flow on as closely as asked", r.join, tol)
                 .tryThis("relax this edge, let the change reach further, or smooth its target"));
    if (r.gapMm > tol.point.mm)
      add(m, problem("LM-J102", who + " does not reach its target everywhere")
                 .measure(millimetres(r.gapMm))
                 .want(millimetres(tol.point.mm))
                 .at(r.gapAt)
                 .tryThis("smooth its target, or bring the corners of neighbouring targets together"));
    if (const double times = r.targetMm / r.lengthMm; times > kLengthNoted || times < 1 / kLengthNoted)
      add(m, problem("LM-J103", who + " goes to something of another length")
                 .measure(millimetres(r.targetMm))
                 .want(millimetres(r.lengthMm))
                 .at(m.from.middle())
                 .tryThis("take a part of the target, or let places go to the nearest"));
    if (r.crossesAt)
      add(m, problem("LM-J104", who + " crosses its target here: the skin moves to both sides")
                 .at(*r.crossesAt)
                 .tryThis("check that this target is meant"));
  }
  if (c.foldsAt)
    out.notes.push_back(problem("LM-J106", "the skin folds over itself here")
                            .at(*c.foldsAt)
                            .tryThis("let the change reach further, or move the skin nearer first"));
}

void addMarks(Outcome& out, const std::vector<Moving>& moving, const Inputs& in) {
  for (const Moving& m : moving) {
    const std::string& item = in.picked("edges")[m.item].item;
    Flag flag;
    flag.field = "edges";
    flag.item = item;
    flag.at = m.from.middle();
    flag.key = "meets";
    flag.mark = "G" + std::to_string(m.order);
    out.marks.add(std::move(flag));
    const Vec3 across = m.from.inwards();
    HandlePlace h{"edges", m.from.middle(), across.normalized(), across.norm()};
    h.item = item;
    h.key = "reach";
    out.marks.add(std::move(h));
  }
}

const std::string kMatchBesides = "match the neighbouring faces to it as well, or let the change reach less far";

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(moving, movingIn(in, cx));
  std::vector<Aim> aims;
  for (const Picked& p : in.picked("targets")) {
    LUMSK_TRY(aim, Aim::of(p, in, moving.front().from, cx));
    aims.push_back(std::move(aim));
  }
  LUMSK_CHECK(assign(moving, aims, in));
  auto changes = matched(moving, in, cx);
  if (!changes) return fail(std::move(changes.error()));
  Outcome out;
  LUMSK_TRY(body, rebuilt(out, *moving.front().from.body, changes->first, kMatchBesides, cx));
  out.outputs.push_back({"", body, moving.front().from.pick.objectId()});
  out.usedUp.push_back(moving.front().from.pick.objectId());
  if (!changes->second.empty()) {
    const FaceSide& other = *moving.front().aim->side();
    LUMSK_TRY(second, rebuilt(out, *other.body, changes->second, kMatchBesides, cx));
    out.outputs.push_back({"2", second, other.pick.objectId()});
    out.usedUp.push_back(other.pick.objectId());
  }
  addMarks(out, moving, in);
  addNotes(out, moving, *changes, in, cx.tolerances);
  nurbs::SkinJoin before, now;
  double gapBefore = 0, gap = 0;
  int order = 0, far = 3;
  for (const Moving& m : moving) {
    before.take(m.made.before, cx.tolerances), now.take(m.made.join, cx.tolerances);
    gapBefore = std::max(gapBefore, m.made.gapBeforeMm), gap = std::max(gap, m.made.gapMm);
    order = std::max(order, m.order);
    far = std::min(far, m.made.far);
  }
  static constexpr const char* kKept[] = {"place", "tangents", "bending", "rate of bending"};
  out.summary = "was " + figures(gapBefore, before, order) + " - now " + figures(gap, now, order) + " - " +
                std::to_string(changes->points) + " points" +
                (changes->more > 0 ? " (" + std::to_string(changes->more) + " more)" : "") + " - moved " +
                format(millimetres(changes->movedMm), 1) + " - far edge keeps its " + kKept[std::clamp(far, 0, 3)];
  return out;
}

} // namespace match_

Step match() { return {"match", 1, "Match", Stage::Flow, match_::schema, match_::compute}; }

} // namespace lumsk::steps
