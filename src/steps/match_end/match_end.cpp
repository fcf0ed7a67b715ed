#include "brep/curves_on.h"
#include "nurbs/arc_length.h"
#include "nurbs/closest.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

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

/// What the end is to meet, in the direction that leads into the curve, and the axis that an angle turns about.
struct Target {
  nurbs::BlendEnd end;
  Vec3 axis = Vec3::UnitZ();
};

/// On a curve: at its end where that is nearest, else on the way, in the direction in which the curve runs already.
Expected<Target> onCurve(const nurbs::Path& to, const Vec3& at, const Vec3& own) {
  const nurbs::ClosestOnPath near = nurbs::closestPoint(to, at);
  nurbs::CurveDerivatives d;
  to.derivatives(std::min(near.t, std::nextafter(to.last(), 0.0)), 3, d);
  auto e = nurbs::blendEnd(d, false);
  if (!e) return fail(problem("LM-P047", "what it is to meet has no direction there").at(near.point).inField("to"));
  const bool last = near.t > to.last() - 1e-9, first = near.t < 1e-9;
  // Out of its end where it is met there; else as the curve runs.
  if (!to.closed() && (last || first) ? first : e->tangent.dot(own) < 0) e = nurbs::blendEnd(d, true);
  Target t{*e, e->second.norm() > 1e-12 ? Vec3(e->tangent.cross(e->second).normalized())
                                        : Frame::fromNormal(at, e->tangent).x};
  return t;
}

/// On a skin: in its tangent plane, in the direction in which the curve runs already, bending as the skin does there.
Expected<Target> onSkin(const brep::Body& body, const Vec3& at, const Vec3& own, int order, const Context& cx) {
  LUMSK_TRY(faces, brep::BodyFaces::of(body, -1, cx));
  const auto near = faces.nearest(at);
  if (!near) return fail(problem("LM-P047", "the skin has no place near this end").at(at).inField("to"));
  const Vec3 flat = own - own.dot(near->normal) * near->normal;
  if (flat.norm() < 1e-3)
    return fail(problem("LM-P047", "the curve stands square on the skin: its direction there is not clear")
                    .at(near->point)
                    .inField("meets")
                    .tryThis("let it touch only, or lean it over"));
  Target t;
  t.end.at = near->point;
  t.end.tangent = flat.normalized();
  t.axis = near->normal;
  if (order > 1) {
    // The normal section of the skin in this direction.
    const auto section = faces.normalSection(*near, t.end.tangent);
    t.end.second = section.curvature * near->normal;
    t.end.third = section.rate * near->normal - section.curvature * section.curvature * t.end.tangent;
  }
  return t;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  const Picked& to = in.picked("to").front();
  if (path.closed())
    return fail(
        problem("LM-P045", "a closed curve has no end").at(path.start()).inField("curve").tryThis("split it first"));
  const auto placeNear = [&](const Vec3& p) -> Vec3 {
    if (const auto* c = std::get_if<CurvePtr>(&to.object)) return nurbs::closestPoint(**c, p).point;
    if (const auto* q = std::get_if<PointObject>(&to.object)) return q->at;
    return p;
  };
  const std::string which = in.text("end");
  const bool atEnd = which == "near"
                         ? (path.end() - placeNear(path.end())).norm() < (path.start() - placeNear(path.start())).norm()
                         : which == "end";
  const auto leaving = nurbs::endOf(path, atEnd);
  if (!leaving)
    return fail(problem("LM-P045", "the curve has no direction at its end")
                    .at(path.end())
                    .inField("curve")
                    .tryThis("move its last points"));
  const int order = in.text("meets")[1] - '0';
  Target target;
  if (const auto* c = std::get_if<CurvePtr>(&to.object)) {
    LUMSK_TRY(t, onCurve(**c, leaving->at, -leaving->tangent));
    target = t;
  } else if (const auto* b = std::get_if<brep::BodyPtr>(&to.object)) {
    LUMSK_TRY(t, onSkin(**b, leaving->at, -leaving->tangent, order, cx));
    target = t;
  } else {
    target.end.at = std::get<PointObject>(to.object).at;
    if (order > 0)
      return fail(problem("LM-P047", "a point has no direction to meet")
                      .at(target.end.at)
                      .inField("meets")
                      .tryThis("let it touch only"));
  }
  target.end.continuity = order;
  if (order > 0) {
    if (in.on("flip")) target.end.tangent = -target.end.tangent, target.end.third = -target.end.third;
    if (order == 1)
      target.end.tangent = Eigen::AngleAxisd(radFromDeg(in.number("angle")), target.axis) * target.end.tangent;
    target.end.pull = in.number("pull");
  }
  auto made =
      order == 0 ? nurbs::endMoved(path, atEnd, target.end.at, cx) : nurbs::endMatched(path, atEnd, target.end, cx);
  if (!made) return fail(made.error().inField("curve"));
  Outcome out =
      curveOutcome(made->path, "G" + std::to_string(order) + " - moved " + format(millimetres(made->movedMm), 3));
  if (order > 0)
    out.handles.push_back({"pull", target.end.at, target.end.tangent, 0.2 * nurbs::figuresOf(path).lengthMm});
  hidePicked(in, "curve", out);
  return out;
}

} // namespace

Step match_end() { return {"match_end", 1, "Match end", Stage::Curves, schema, compute}; }

} // namespace lumsk::steps
