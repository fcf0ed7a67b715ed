#include "nurbs/sweep/extrude.h"

#include "brep/edge_paths.h"
#include "brep/ended.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "steps/directions.h"
#include "steps/plain_skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace extrude_ {

Field endField(const std::string& key, const std::string& label, const std::string& help) {
  return picks(key, label, help, Kind::Plane | Kind::Face | Kind::Skin | Kind::Solid).prefer(Kind::Face | Kind::Plane).optional().atMost(1);
}

Schema schema() {
  Schema s{
      plainProfilesField("What is moved along a straight line."),
      picks("direction", "Direction",
            "A plane or flat face whose normal, a straight line or edge whose direction, or a circle or round face whose axis it is; without one, square to the profiles.",
            kLine)
          .optional()
          .atMost(1),
      choice("ways", "Ways", "To one side; half of the length to either side; or to both, each its own length.",
             {{"one", "one way"}, {"even", "evenly both ways"}, {"both", "both ways"}}),
      length("length", "Length", "Along the direction; below nought against it.", "20").withHandle(Handle::Distance),
      endField("upTo", "Up to", "A plane, face, skin or solid to end at, instead of after the length.").unless("ways", {"even"}),
      length("back", "Length back", "Against the direction.", "10").within(0, 1e6).when("ways", {"both"}).withHandle(Handle::Distance),
      endField("backTo", "Back to", "A plane, face, skin or solid to end at on that side.").when("ways", {"both"}),
      angle("lean", "Lean", "How far the walls lean outwards as they go on: a draft. Below nought inwards; openings the other way.", "0")
          .within(-85, 85),
      plainFacesField()};
  addWall(s);
  addSolid(s, "Covers the ends of closed profiles, which makes solids; profiles within others are openings.");
  s.push_back(toggle("through", "Through all", "Goes on past all of the targets; the length says only to which side.", false).when("solid", {"true"}).when("target", {"picked"}).unless("upTo", {"picked"}));
  return s;
}

Expected<Vec3> directionOf(const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  if (!in.picked("direction").empty()) {
    LUMSK_TRY(line, lineOf(in, "direction", tol));
    return line.direction;
  }
  const Picked& first = p.picked.front().pick;
  if (first.kind == Kind::Face)
    if (const auto plane = brep::planeOf(*first.body, first.index, tol.point)) return plane->normal();
  return nurbs::squareTo(p.paths, tol.point);
}

/// What a side is to end at: a plane, exactly; or something else, which it is cut off at.
struct EndPick {
  std::optional<Frame> plane;
  const Picked* other = nullptr;
};

EndPick endOf(const Inputs& in, const std::string& key, const Tolerances& tol) {
  if (!in.has(key) || in.picked(key).empty()) return {};
  const Picked& p = in.picked(key).front();
  if (const auto* plane = std::get_if<PlaneObject>(&p.object)) return {plane->frame};
  if (p.kind == Kind::Face)
    if (const auto flat = brep::planeOf(*p.body, p.index, tol.point)) return {flat};
  return {{}, &p};
}

const brep::Body& bodyOf(const Picked& p) { return p.body ? *p.body : *std::get<brep::BodyPtr>(p.object); }

Vec3 middleOf(const Picked& p) {
  if (p.kind == Kind::Face) return brep::signatureOf(*p.body, brep::PartKind::Face, p.index).middle;
  Vec3 sum = Vec3::Zero();
  for (const Vec3& corner : brep::boxCorners(bodyOf(p).shape)) sum += corner / 8;
  return sum;
}

/// How far something reaches at most along a direction from a place.
double reachOf(const Picked& p, const Vec3& from, const Vec3& along) {
  double farthest = -1e300;
  for (const Vec3& corner : brep::boxCorners(bodyOf(p).shape)) farthest = std::max(farthest, (corner - from).dot(along));
  return farthest;
}

struct Extent {
  nurbs::ExtrudeOptions options;
  std::array<EndPick, 2> ends;
};

constexpr double kPast = 1.2, kPastMm = 1; ///< of what a skin is to reach it goes on so much farther

bool goesThrough(const Inputs& in) { return in.has("through") && in.on("through"); }

/// Past all of the targets: to the side that the length says, or where they lie; both ways to both.
Expected<void> goThrough(nurbs::ExtrudeOptions& o, const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  std::array<double, 2> most{};
  for (const Picked& target : in.picked("target"))
    for (const nurbs::Path& path : p.paths)
      for (const int e : {0, 1}) most[size_t(e)] = std::max(most[size_t(e)], reachOf(target, path.start(), (e ? 1.0 : -1.0) * o.direction));
  const bool one = in.text("ways") == "one", turned = one && (in.number("length") < 0 ? most[0] > tol.point.mm : !(most[1] > tol.point.mm));
  if (turned) o.direction = -o.direction, std::swap(most[0], most[1]);
  if (!(most[1] > tol.point.mm))
    return fail(problem("LM-X004", "the targets do not lie on that side of the profile").at(p.paths.front().start()).inField("target").tryThis("go both ways, or pick other targets"));
  for (const int e : {0, 1}) o.reachMm[size_t(e)] = e == 0 && one ? 0.0 : kPast * most[size_t(e)] + kPastMm;
  return {};
}

Expected<Extent> extentOf(const Inputs& in, const PlainProfiles& p, const Tolerances& tol) {
  Extent out;
  nurbs::ExtrudeOptions& o = out.options;
  LUMSK_TRY(direction, directionOf(in, p, tol));
  o.direction = direction;
  const std::string ways = in.text("ways");
  const double length = in.number("length");
  const Vec3 from = p.paths.front().start();
  o.reachMm = {0, length};
  if (ways == "even") o.reachMm = {0.5 * std::abs(length), 0.5 * std::abs(length)};
  if (ways == "both") o.reachMm[0] = in.number("back");
  out.ends = {endOf(in, "backTo", tol), endOf(in, "upTo", tol)};
  o.until = {out.ends[0].plane, out.ends[1].plane};
  if (goesThrough(in)) LUMSK_CHECK(goThrough(o, in, p, tol));
  if (ways == "one" && o.until[1]) { // to the side on which it lies
    const double away = (o.until[1]->origin - from).dot(o.until[1]->normal()) / direction.dot(o.until[1]->normal());
    if (away < 0) o.direction = -o.direction;
  } else if (ways == "one" && out.ends[1].other) {
    if ((middleOf(*out.ends[1].other) - from).dot(direction) < 0) o.direction = -o.direction;
  } else if (goesThrough(in)) { // its sides are known
  } else if (ways == "one" && length < 0) {
    o.direction = -o.direction;
    o.reachMm[1] = -length;
  } else if (length < 0 && !o.until[1] && !out.ends[1].other) {
    return fail(problem("LM-X001", "both ways need a length above nought").measure(millimetres(length)).inField("length").at(from).tryThis("give a length above nought, or go one way"));
  }
  // Past what it is cut off at.
  for (const int e : {0, 1})
    if (const Picked* other = out.ends[size_t(e)].other) {
      double most = 0;
      for (const nurbs::Path& path : p.paths) most = std::max(most, reachOf(*other, path.start(), (e ? 1.0 : -1.0) * o.direction));
      if (!(most > tol.point.mm))
        return fail(problem("LM-X004", "what the skin is to end at lies behind the profile").measure(millimetres(most)).at(from).inField(e ? "upTo" : "backTo").tryThis("take something else, or give a length"));
      o.reachMm[size_t(e)] = kPast * most + kPastMm;
    }
  o.leanDeg = in.number("lean");
  o.merged = in.text("faces") == "all";
  return out;
}

/// The bodies of a profile cut off where they are to end.
Expected<brep::BodyPtr> cutOff(const Inputs& in, brep::BodyPtr body, const Extent& x, const nurbs::Path& profile, const nurbs::PlainSkin& skin, const std::string& which, const Context& cx) {
  constexpr int kPlaces = 8;
  for (const int e : {0, 1}) {
    const Picked* other = x.ends[size_t(e)].other;
    if (!other) continue;
    brep::Ending end;
    end.face = other->kind == Kind::Face ? other->index : -1;
    end.name = brep::faceName(in.stepId(), e ? "end" : "back", which);
    for (int i = 0; i < kPlaces; ++i) end.from.push_back(profile.at(profile.last() * i / kPlaces));
    const bool twoSided = std::any_of(skin.faces.begin(), skin.faces.end(), [](const auto& f) { return f.back; });
    for (const auto& f : skin.faces)
      if (!twoSided || f.back == (e == 0))
        for (int i = 0; i < kPlaces; ++i) {
          const double u = f.surface.firstU() + (f.surface.lastU() - f.surface.firstU()) * (i + 0.5) / kPlaces;
          end.beyond.push_back(f.surface.at(u, double(e)));
        }
    auto made = brep::endedAt(*body, bodyOf(*other), end, cx);
    if (!made) return fail(made.error().inField(e ? "upTo" : "backTo"));
    body = *made;
  }
  return body;
}

/// Solids first, then cut off: the faces they end at close them.
Expected<void> putCutOff(Outcome& out, const Inputs& in, std::vector<MadeSkin>& made, const Extent& x, const PlainProfiles& p,
                         const std::vector<nurbs::PlainSkin>& skins, const Context& cx) {
  if (!in.on("solid")) {
    for (size_t k = 0; k < made.size(); ++k) {
      LUMSK_TRY(cut, cutOff(in, made[k].skin, x, p.paths[k], skins[k], p.names[k], cx));
      made[k].skin = cut;
    }
    return putOut(out, in, made, cx);
  }
  LUMSK_TRY(solids, solidsOf(in, made, cx));
  size_t k = 0;
  for (brep::BodyPtr& s : solids) {
    while (made[k].within) ++k;
    LUMSK_TRY(cut, cutOff(in, s, x, p.paths[k], skins[k], p.names[k], cx));
    s = cut;
    ++k;
  }
  return putSolids(out, in, std::move(solids), cx);
}

Vec3 middleOf(const nurbs::Path& p) { return nurbs::polyline(p, 16).colwise().mean().transpose(); }

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  // A wall along a straight line lies square to the direction, as far as it can.
  const auto across = [&](const nurbs::Path& line) -> std::optional<Vec3> {
    const Vec3 along = (line.end() - line.start()).normalized();
    Vec3 up = nurbs::squareTo({line}, cx.tolerances.point);
    if (!in.picked("direction").empty())
      if (const auto picked = lineOf(in, "direction", cx.tolerances)) up = picked->direction;
    up -= up.dot(along) * along;
    if (up.norm() < cx.tolerances.point.mm) return {};
    return up.normalized();
  };
  LUMSK_TRY(profiles, plainProfilesIn(in, across, cx));
  LUMSK_TRY(x, extentOf(in, profiles, cx.tolerances));
  nurbs::ExtrudeOptions& o = x.options;
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
  const auto open = [&](size_t e) { return !x.ends[e].plane && !x.ends[e].other && !goesThrough(in); };
  const bool even = in.text("ways") == "even", turned = in.text("ways") == "one" && in.number("length") < 0;
  if (open(1)) out.marks.add(HandlePlace{"length", at, turned ? Vec3(-o.direction) : o.direction, even ? 0.5 : 1.0});
  if (in.text("ways") == "both" && open(0)) out.marks.add(HandlePlace{"back", at, -o.direction, 1.0});
  out.summary = x.ends[1].plane ? "up to a plane" : x.ends[1].other ? "up to a body" : goesThrough(in) ? std::string("through all") : format(millimetres(o.reachMm[1] + (open(0) ? o.reachMm[0] : 0.0)), 6) + " long";
  if (o.leanDeg != 0 && leanOff > cx.tolerances.angle.deg)
    out.notes.push_back(problem("LM-X101", "walls lean otherwise beside corners of the profile, by up to").measure(degrees(leanOff)).at(at));
  if (x.ends[0].other || x.ends[1].other) {
    LUMSK_CHECK(putCutOff(out, in, made, x, profiles, skins, cx));
  } else {
    LUMSK_CHECK(putOut(out, in, made, cx));
  }
  sayPlain(out, skins);
  return out;
}

} // namespace extrude_

Step extrude() { return {"extrude", 1, "Extrude", Stage::Surfaces, extrude_::schema, extrude_::compute}; }

} // namespace lumsk::steps
