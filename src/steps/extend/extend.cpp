#include "brep/extend.h"
#include "brep/rings.h"

#include "nurbs/reshape/extend.h"
#include "steps/bodies.h"
#include "steps/curves.h"
#include "steps/cutting.h"
#include "steps/face_sides.h"

namespace lumsk::steps {

using namespace recipe;

namespace extend_ {

constexpr double kFirstReach = 1.3; ///< of the distance to what is to be met
constexpr double kLeastReach = 100; ///< point tolerances
constexpr double kFurther = 1.7;    ///< each time that it was not enough
constexpr int kTimes = 4;

Schema schema() {
  return {picks("edges", "Edges", "Open edges of a skin, several at once.", Kind::Edge),
          choice("by", "By", "By a length, or up to something.", {{"length", "length"}, {"upTo", "up to"}}),
          length("length", "Length", "How much further the skin goes, along its lines; less than nought: as much is taken off.", "10")
              .within(-1e4, 1e4)
              .when("by", {"length"})
              .withHandle(Handle::Distance),
          picks("to", "Up to", "What the skin is to meet.", Kind::Plane | Kind::Skin | Kind::Solid | Kind::Face).atMost(1).when("by", {"upTo"}),
          choice("how", "How", "How the skin goes on beyond its own end.",
                 {{"natural", "as it bends, and as that changes"}, {"straight", "straight"}, {"round", "round, as it bends at the edge"}})};
}

struct Edges {
  PickedParts of;              ///< one body
  std::vector<FaceSide> sides; ///< those that are whole sides of untrimmed faces
  std::vector<int> others;     ///< numbers of the other edges
};

Expected<Edges> edgesOf(const Inputs& in, const Context& cx) {
  const auto& picks = in.picked("edges");
  const auto bodies = partsByBody(picks);
  if (bodies.size() > 1)
    return fail(problem("LM-C033", "the edges are of several bodies").at(curveOf(picks.front())->at(0.5)).inField("edges").tryThis("extend one body at a time, or knit them first"));
  Edges out{bodies.front(), {}, {}};
  for (const Picked& p : picks) {
    if (!brep::isOpen(*p.body, p.index)) {
      Problem inner = problem("LM-C033", "an edge joins two faces: there is nothing to go on into").at(curveOf(p)->at(0.5)).tryThis("pick open edges");
      inner.inField("edges").item = p.item;
      return fail(std::move(inner));
    }
    auto side = sideOf(p, "the edge", cx.tolerances.point);
    if (side)
      out.sides.push_back(std::move(*side));
    else
      out.others.push_back(p.index);
  }
  return out;
}

/// All edges further out by a length.
Expected<brep::Rebordered> longer(const Edges& e, double mm, nurbs::GoOn how, const Context& cx) {
  brep::Rebordered out{{e.of.body}, {}, {}};
  if (!e.others.empty()) {
    LUMSK_TRY(made, brep::grown(*e.of.body, e.others, mm, how, cx));
    out = std::move(made);
  }
  const brep::Body& body = *out.bodies.front();
  std::map<int, std::array<double, 4>> lengths; // by face
  for (const FaceSide& s : e.sides) lengths.try_emplace(s.face).first->second[size_t(s.side)] = mm;
  brep::OtherSplines changed;
  for (const auto& [face, by] : lengths) {
    const std::string& name = e.of.body->faceNames[size_t(face)];
    const auto now = std::find(body.faceNames.begin(), body.faceNames.end(), name) - body.faceNames.begin();
    const auto natural = body.natural.find(name);
    if (natural == body.natural.end())
      return fail(problem("LM-C034", "a part of a side and whole sides of one face cannot be extended at once")
                      .at(e.sides.front().middle())
                      .inField("edges")
                      .tryThis("extend them one after the other"));
    LUMSK_TRY(larger, nurbs::extended(*natural->second.surface, by, how, cx));
    changed[int(now)].surface = std::make_shared<const nurbs::Surface>(std::move(larger));
  }
  if (changed.empty()) return out;
  Outcome told;
  LUMSK_TRY(made, rebuilt(told, body, changed, "extend the edges beside these as well", cx));
  out.bodies.front() = made;
  out.notes.insert(out.notes.end(), told.notes.begin(), told.notes.end());
  return out;
}

/// Up to something: far enough, then cut.
Expected<brep::Rebordered> upTo(const Inputs& in, const Edges& e, nurbs::GoOn how, const Context& cx) {
  const Picked& to = in.picked("to").front();
  brep::Divider end;
  end.id = to.item;
  if (const auto* plane = std::get_if<PlaneObject>(&to.object)) {
    end.plane = plane->frame;
  } else {
    end.body = std::get<brep::BodyPtr>(to.object);
    if (to.kind == Kind::Face) end.face = to.index;
  }
  LUMSK_TRY(away, brep::farthestFrom(end, *e.of.body, e.of.edges, cx));
  Problem miss = problem("LM-C035", "the skin does not come to what it is to meet")
                     .at(curveOf(in.picked("edges").front())->at(0.5))
                     .inField("to")
                     .tryThis("extend it another way, or by a length");
  double mm = std::max(kFirstReach * away, kLeastReach * cx.tolerances.point.mm);
  for (int i = 0; i < kTimes; ++i, mm *= kFurther) {
    LUMSK_TRY(body, longer(e, mm, how, cx));
    auto made = brep::upTo(body.bodies.front(), end, *e.of.body, cx);
    miss.measure(millimetres(mm));
    if (made && *made) {
      body.bodies = (*made)->bodies;
      body.notes.insert(body.notes.end(), (*made)->notes.begin(), (*made)->notes.end());
      return body;
    }
    if (made) continue;
    if (isCancelled(made.error())) return fail(made.error());
    if (!made.error().where.empty()) miss.where = made.error().where;
  }
  return fail(std::move(miss));
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(e, edgesOf(in, cx));
  const std::string word = in.text("how");
  const nurbs::GoOn how = word == "straight" ? nurbs::GoOn::Straight : word == "round" ? nurbs::GoOn::Round : nurbs::GoOn::Natural;
  const bool byLength = in.text("by") == "length";
  const double mm = byLength ? in.number("length") : 0;
  auto made = !byLength                      ? upTo(in, e, how, cx)
              : mm > cx.tolerances.point.mm  ? longer(e, mm, how, cx)
              : mm < -cx.tolerances.point.mm ? brep::shortened(*e.of.body, e.of.edges, -mm, cx)
                                             : Expected<brep::Rebordered>(brep::Rebordered{{e.of.body}, {}, {}});
  if (!made) {
    Problem& p = made.error();
    if (p.code == "LM-C034" && p.field.empty()) p.inField("how").offer({"as it bends", "how", "natural"});
    if (p.field.empty()) p.inField(byLength ? "length" : "to");
    return fail(std::move(p));
  }
  Outcome out;
  putParts(out, e.of, made->bodies);
  noteCarriedOn(out, made->carriedOn, "an edge beside these");
  out.notes.insert(out.notes.end(), made->notes.begin(), made->notes.end());
  if (byLength) {
    if (const auto way = brep::wayOut(*e.of.body, e.of.edges.front()))
      out.marks.add(HandlePlace{"length", way->at, way->direction, 1.0});
    out.summary = format(millimetres(mm));
  } else {
    out.summary = "up to the " + kindNames(in.picked("to").front().kind);
  }
  const size_t n = e.of.edges.size();
  out.summary += n == 1 ? "" : " - " + std::to_string(n) + " edges";
  return out;
}

} // namespace extend_

Step extend() { return Step{"extend", 1, "Extend", Stage::Trim, extend_::schema, extend_::compute}.under("go on"); }

} // namespace lumsk::steps
