#include "nurbs/sweep/revolve.h"

#include "steps/directions.h"
#include "steps/plain_skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace revolve_ {

constexpr double kWholeDeg = 360;

Schema schema() {
  Schema s{
      plainProfilesField("What is turned about the axis; where it ends on the axis the skin closes."),
      picks("axis", "Axis", "A straight line, a circle or round face whose axis, or a plane on whose normal it is; without one, the upright axis.",
            kLine)
          .optional()
          .atMost(1),
      choice("ways", "Ways", "To one side; half of the angle to either side; or to both, each its own angle.",
             {{"one", "one way"}, {"even", "evenly both ways"}, {"both", "both ways"}}),
      angle("angle", "Angle", "About the axis; below nought the other way round.", "360").within(-kWholeDeg, kWholeDeg),
      angle("back", "Angle back", "The other way round.", "90").within(0, kWholeDeg).when("ways", {"both"}),
      plainFacesField()};
  addWall(s);
  addSolid(s, "Covers what is open, which makes solids of closed profiles, of those that end on the axis, and of all that go "
              "all around; profiles within others are openings.");
  return s;
}

Expected<nurbs::RevolveOptions> optionsOf(const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  nurbs::RevolveOptions o;
  LUMSK_TRY(axis, lineOf(in, "axis", tol));
  o.at = axis.at, o.axis = axis.direction;
  const std::string ways = in.text("ways");
  const double angle = in.number("angle");
  if (ways == "one") o.fromDeg = std::min(0.0, angle), o.toDeg = std::max(0.0, angle);
  if (ways == "even") o.fromDeg = -0.5 * std::abs(angle), o.toDeg = 0.5 * std::abs(angle);
  if (ways == "both") o.fromDeg = -in.number("back"), o.toDeg = angle;
  if (o.toDeg - o.fromDeg > kWholeDeg || o.toDeg < o.fromDeg)
    return fail(problem("LM-X001", "both angles together are more than a whole turn, or less than none")
                    .measure(degrees(o.toDeg - o.fromDeg))
                    .want(degrees(kWholeDeg))
                    .at(p.paths.front().start())
                    .inField(ways == "both" ? "back" : "angle")
                    .tryThis("take smaller angles"));
  o.merged = in.text("faces") == "all";
  return o;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(axis, lineOf(in, "axis", cx.tolerances));
  // A wall along a straight line lies in the plane of line and axis.
  const auto beside = [&](const nurbs::Path& line) -> std::optional<Vec3> {
    for (const Vec3& end : {line.start(), line.end()})
      if (const Vec3 n = axis.direction.cross(end - axis.at); n.norm() > cx.tolerances.point.mm) return n.normalized();
    return {};
  };
  LUMSK_TRY(profiles, plainProfilesIn(in, beside, cx));
  LUMSK_TRY(o, optionsOf(in, profiles, cx.tolerances));
  std::vector<nurbs::PlainSkin> skins;
  std::vector<MadeSkin> made;
  for (size_t k = 0; k < profiles.paths.size(); ++k) {
    auto r = nurbs::revolve(profiles.paths[k], o, cx);
    if (!r) return fail(ofProfile(r.error(), profiles, k));
    LUMSK_TRY(body, plainBody(in, r->skin, profiles, k, r->inwards, cx));
    const bool closes = r->whole || r->profile.closed() || (r->onAxis[0] && r->onAxis[1]);
    std::vector<brep::Ring> sides;
    for (const nurbs::Path& side : r->wedge) sides.push_back({brep::edgesAlong(side), true});
    made.push_back({body, closes, std::move(sides), profiles.nest.holes[k], profiles.nest.opening[k]});
    skins.push_back(std::move(r->skin));
  }
  Outcome out;
  out.summary = o.toDeg - o.fromDeg < kWholeDeg ? format(degrees(o.toDeg - o.fromDeg), 6) : "all around";
  LUMSK_CHECK(putOut(out, in, made, cx));
  sayPlain(out, skins);
  return out;
}

} // namespace revolve_

Step revolve() { return {"revolve", 1, "Revolve", Stage::Surfaces, revolve_::schema, revolve_::compute}; }

} // namespace lumsk::steps
