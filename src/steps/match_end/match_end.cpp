#include "brep/curves_on.h"
#include "nurbs/measure/closest.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace match_end_ {

Schema schema() {
  return {picks("curve", "Curve", "The open curve whose end is to meet something.", Kind::Curve | Kind::Edge).atMost(1),
          picks("to", "To", "What it is to meet: another curve or edge, at its end or on the way, or a skin.",
                Kind::Curve | Kind::Edge | Kind::Skin | Kind::Solid | Kind::Point)
              .atMost(1),
          choice("end", "End", "Which end of the curve moves.",
                 {{"near", "the nearer one"}, {"start", "first"}, {"end", "last"}}),
          continuity("meets", "Meets", "How it meets: touching, tangent, with equal curvature, with equal rate of it.",
                     {"g1", "g0", "g2", "g3"}),
          angle("angle", "Angle", "Turned away from the tangent, about the normal of the skin or of the bend.", "0")
              .within(-180, 180)
              .when("meets", {"g1"}),
          ratioField("pull", "Pull", "How strongly the curve follows: 1 keeps its own strength.", "1")
              .within(0.05, 10)
              .unless("meets", {"g0"})
              .withHandle(Handle::Magnitude),
          toggle("flip", "Turn about", "Runs on the other way along what it meets.", false).unless("meets", {"g0"}),
          hideField("curve")};
}

/// What an end is to meet: a curve, a skin or a point.
class Aim {
public:
  static Expected<Aim> of(const Picked& p, const Context& cx) {
    Aim out;
    if (const auto* c = std::get_if<CurvePtr>(&p.object)) out.curve_ = c->get();
    if (const auto* q = std::get_if<PointObject>(&p.object)) out.point_ = q->at;
    if (const auto* b = std::get_if<brep::BodyPtr>(&p.object)) {
      LUMSK_TRY(faces, brep::BodyFaces::of(**b, -1, cx));
      out.skin_.emplace(std::move(faces));
    }
    return out;
  }

  /// The place that is nearest to an end.
  Expected<Vec3> nearest(const Vec3& end) const {
    if (curve_) return nurbs::closestPoint(*curve_, end).point;
    if (!skin_) return point_;
    if (const auto at = skin_->nearest(end)) return at->point;
    return fail(problem("LM-P047", "the skin has no place near this end")
                    .at(end)
                    .inField("to")
                    .tryThis("move the curve over the skin"));
  }

  /// The end there, leading into the curve, and the axis that an angle turns about.
  Expected<std::pair<nurbs::BlendEnd, Vec3>> target(const Vec3& end, const Vec3& direction) const {
    LUMSK_TRY(place, nearest(end));
    const auto unclear = [&](const char* what, const char* remedy) {
      return fail(problem("LM-P047", what).at(place).inField("meets").tryThis(remedy));
    };
    if (curve_) {
      const auto e = nurbs::joiningEnd(*curve_, end, direction);
      if (!e) return unclear("what it is to meet has no direction there", "let it touch only, or pick another curve");
      const bool bends = e->second.norm() > 1e-12;
      return std::make_pair(*e, bends ? Vec3(e->tangent.cross(e->second).normalized())
                                      : Frame::fromNormal(place, e->tangent).x);
    }
    if (!skin_) return unclear("a point has no direction to meet", "let it touch only");
    const auto at = skin_->nearest(end);
    const auto e = skin_->endWithin(*at, direction);
    if (!e)
      return unclear("the curve stands square on the skin: its direction there is not clear",
                     "let it touch only, or lean it over");
    return std::make_pair(*e, at->normal);
  }

private:
  const nurbs::Path* curve_ = nullptr;
  std::optional<brep::BodyFaces> skin_;
  Vec3 point_ = Vec3::Zero();
};

/// Which end moves: the chosen one, or the one that is nearer to what it is to meet.
Expected<bool> movesLast(const Inputs& in, const nurbs::Path& path, const Aim& aim) {
  if (in.text("end") != "near") return in.text("end") == "end";
  const auto first = aim.nearest(path.start()), last = aim.nearest(path.end());
  if (!first && !last) return fail(first.error());
  if (!first || !last) return bool(last);
  return (path.end() - *last).norm() < (path.start() - *first).norm();
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  if (path.closed())
    return fail(
        problem("LM-P045", "a closed curve has no end").at(path.start()).inField("curve").tryThis("split it first"));
  LUMSK_TRY(aim, Aim::of(in.picked("to").front(), cx));
  LUMSK_TRY(atEnd, movesLast(in, path, aim));
  const auto leaving = nurbs::endOf(path, atEnd);
  if (!leaving)
    return fail(problem("LM-P045", "the curve has no direction at its end")
                    .at(path.end())
                    .inField("curve")
                    .tryThis("move its last points"));
  const int order = in.text("meets")[1] - '0';
  nurbs::BlendEnd target;
  if (order == 0) {
    LUMSK_TRY(place, aim.nearest(leaving->at));
    target.at = place;
  } else {
    LUMSK_TRY(found, aim.target(leaving->at, -leaving->tangent));
    target = found.first;
    if (in.on("flip")) target.tangent = -target.tangent, target.third = -target.third;
    if (order == 1) target.tangent = Eigen::AngleAxisd(radFromDeg(in.number("angle")), found.second) * target.tangent;
    target.pull = in.number("pull");
  }
  target.continuity = order;
  auto made = order == 0 ? nurbs::endMoved(path, atEnd, target.at, cx) : nurbs::endMatched(path, atEnd, target, cx);
  if (!made) return fail(made.error().inField("curve"));
  Outcome out =
      curveOutcome(made->path, "G" + std::to_string(order) + " - moved " + format(millimetres(made->movedMm), 3));
  if (order > 0) out.marks.add(HandlePlace{"pull", target.at, target.tangent, 0.2 * nurbs::figuresOf(path).lengthMm});
  hidePicked(in, "curve", out);
  return out;
}

} // namespace match_end_

Step match_end() { return Step{"match_end", 1, "Match end", Stage::Curves, match_end_::schema, match_end_::compute}.under("change"); }

} // namespace lumsk::steps
