#include "nurbs/sweep/extrude.h"

#include "brep/edge_paths.h"
#include "steps/directions.h"
#include "steps/plain_skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

constexpr double kFlatTolerances = 10; ///< out of a plane by at most so many point tolerances

Field endField(const std::string& key, const std::string& label, const std::string& help) {
  return picks(key, label, help, Kind::Plane | Kind::Face).optional().atMost(1);
}

Schema schema() {
  Schema s{
      plainProfilesField("What is moved along a straight line."),
      picks("direction", "Direction",
            "A plane whose normal, or a straight line whose direction it is; without one, square to the profiles.",
            Kind::Plane | Kind::Curve | Kind::Edge)
          .optional()
          .atMost(1),
      choice("ways", "Ways", "To one side; half of the length to either side; or to both, each its own length.",
             {{"one", "one way"}, {"even", "evenly both ways"}, {"both", "both ways"}}),
      length("length", "Length", "Along the direction; below nought against it.", "20").withHandle(Handle::Distance),
      endField("upTo", "Up to", "A plane or a flat face to end at, instead of after the length.").unless("ways", {"even"}),
      length("back", "Length back", "Against the direction.", "10").within(0, 1e6).when("ways", {"both"}).withHandle(Handle::Distance),
      endField("backTo", "Back to", "A plane or a flat face to end at on that side.").when("ways", {"both"}),
      angle("lean", "Lean", "How far the walls lean outwards as they go on: a draft. Below nought inwards; openings the other way.", "0")
          .within(-85, 85),
      plainFacesField()};
  addSolid(s, "Covers the ends of closed profiles, which makes solids; profiles within others are openings.");
  return s;
}

/// The way up, of a direction that has no way of its own.
Vec3 upwards(const Vec3& n) {
  constexpr double kLevel = 1e-6;
  const double most = std::abs(n.z()) > kLevel ? n.z() : std::abs(n.y()) > kLevel ? n.y() : n.x();
  return most < 0 ? Vec3(-n) : n;
}

Expected<Vec3> directionOf(const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  if (!in.picked("direction").empty()) {
    LUMSK_TRY(line, lineOf(in, "direction", tol));
    return line.direction;
  }
  const Picked& first = p.picked.front().pick;
  if (first.kind == Kind::Face)
    if (const auto plane = brep::planeOf(*first.body, first.index, tol.point)) return plane->normal();
  std::vector<Points> all;
  Eigen::Index rows = 0;
  for (const nurbs::Path& path : p.paths) all.push_back(nurbs::polyline(path, 16)), rows += all.back().rows();
  Points places(rows, 3);
  rows = 0;
  for (const Points& one : all) places.middleRows(rows, one.rows()) = one, rows += one.rows();
  for (const Points& these : {places, all.front()}) {
    const nurbs::PlaneOfPoints plane = nurbs::fitPlane(these);
    if (plane.unique && plane.deviationMm <= kFlatTolerances * tol.point.mm) return upwards(plane.frame.normal());
  }
  const Vec3 along = p.paths.front().end() - p.paths.front().start();
  return along.normalized().cross(Vec3::UnitZ()).norm() < 0.01 ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitZ());
}

Expected<std::optional<Frame>> endOf(const Inputs& in, const std::string& key, const Tolerances& tol) {
  if (!in.has(key) || in.picked(key).empty()) return std::optional<Frame>();
  const Picked& p = in.picked(key).front();
  if (const auto* plane = std::get_if<PlaneObject>(&p.object)) return std::optional<Frame>(plane->frame);
  const auto flat = brep::planeOf(*p.body, p.index, tol.point);
  if (!flat) return fail(problem("LM-X004", "this face is not flat").at(placeOf(p)).inField(key).tryThis("take a flat one, or a plane"));
  return flat;
}

Expected<nurbs::ExtrudeOptions> optionsOf(const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  nurbs::ExtrudeOptions o;
  LUMSK_TRY(direction, directionOf(in, p, tol));
  o.direction = direction;
  const std::string ways = in.text("ways");
  const double length = in.number("length");
  o.reachMm = {0, length};
  if (ways == "even") o.reachMm = {0.5 * std::abs(length), 0.5 * std::abs(length)};
  if (ways == "both") o.reachMm[0] = in.number("back");
  LUMSK_TRY(upTo, endOf(in, "upTo", tol));
  LUMSK_TRY(backTo, endOf(in, "backTo", tol));
  o.until = {backTo, upTo};
  if (ways == "one" && upTo) { // to the side on which it lies
    const double away = (upTo->origin - p.paths.front().start()).dot(upTo->normal()) / direction.dot(upTo->normal());
    if (away < 0) o.direction = -o.direction;
  } else if (ways == "one" && length < 0) {
    o.direction = -o.direction;
    o.reachMm[1] = -length;
  } else if (length < 0) {
    return fail(problem("LM-X001", "both ways need a length above nought").measure(millimetres(length)).inField("length").at(p.paths.front().start()));
  }
  o.leanDeg = in.number("lean");
  o.merged = in.text("faces") == "all";
  return o;
}

Vec3 middleOf(const nurbs::Path& p) { return nurbs::polyline(p, 16).colwise().mean().transpose(); }

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(profiles, plainProfilesIn(in, cx.tolerances));
  LUMSK_TRY(o, optionsOf(in, profiles, cx.tolerances));
  std::vector<nurbs::PlainSkin> skins;
  std::vector<MadeSkin> made;
  double leanOff = 0;
  for (size_t k = 0; k < profiles.paths.size(); ++k) {
    const nurbs::Path& path = profiles.paths[k];
    const double outside = nurbs::outwardsOf(path, o.direction);
    o.outwards = profiles.nest.opening[k] ? -outside : outside;
    auto skin = nurbs::extrude(path, o, cx);
    if (!skin) return fail(ofProfile(skin.error(), profiles, k));
    LUMSK_TRY(body, plainBody(in, *skin, profiles, k, outside < 0, cx));
    made.push_back({body, path.closed(), {}, profiles.nest.holes[k], profiles.nest.opening[k]});
    leanOff = std::max(leanOff, skin->leanOffDeg);
    skins.push_back(std::move(*skin));
  }
  Outcome out;
  const Vec3 at = middleOf(profiles.paths.front());
  const bool even = in.text("ways") == "even", turned = in.text("ways") == "one" && in.number("length") < 0 && !o.until[1];
  if (!o.until[1]) out.marks.add(HandlePlace{"length", at, turned ? Vec3(-o.direction) : o.direction, even ? 0.5 : 1.0});
  if (in.text("ways") == "both" && !o.until[0]) out.marks.add(HandlePlace{"back", at, -o.direction, 1.0});
  out.summary = o.until[1] ? "up to a plane" : format(millimetres(o.reachMm[1] + (o.until[0] ? 0.0 : o.reachMm[0])), 6) + " long";
  if (o.leanDeg != 0 && leanOff > cx.tolerances.angle.deg)
    out.notes.push_back(problem("LM-X101", "walls lean otherwise beside corners of the profile, by up to").measure(degrees(leanOff)).at(at));
  LUMSK_CHECK(putPlain(out, in, made, skins, cx));
  return out;
}

} // namespace

Step extrude() { return {"extrude", 1, "Extrude", Stage::Surfaces, schema, compute}; }

} // namespace lumsk::steps
