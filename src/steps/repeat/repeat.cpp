#include "nurbs/placing/repeat.h"

#include "brep/apart.h"
#include "brep/combine.h"
#include "brep/names.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/least_twist.h"
#include "steps/bodies.h"
#include "steps/placing.h"
#include "steps/solids.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace lumsk::steps {

using namespace recipe;
using nurbs::CopyPlaces;

namespace repeat_ {

constexpr int kMostCopies = 2000;
constexpr size_t kMostMarks = 400; ///< of copies that can be clicked

Field many(const std::string& key, const std::string& label, const std::string& help, const std::string& fallback) {
  return countField(key, label, help, fallback).within(1, kMostCopies);
}

Schema placeFields() {
  return {
      choice("way", "How", "Where the copies stand.",
             {{"line", "in a row"}, {"grid", "in rows"}, {"round", "round an axis"}, {"curve", "along a curve"}, {"mirrored", "mirrored"}}),
      picks("direction", "Direction", "A straight line or edge, an axis, or a plane's or flat face's normal; without one, along x.", kLine)
          .prefer(Kind::Curve | Kind::Edge)
          .optional()
          .atMost(1)
          .when("way", {"line", "grid"}),
      picks("axis", "Axis", "A straight line or edge, the axis of a circle or a round face, a plane's normal; without one, the upright axis.", kLine)
          .optional()
          .atMost(1)
          .when("way", {"round"}),
      picks("curve", "Curve", "The copies stand along it, from where the first is nearest to it to its farther end.", Kind::Curve | Kind::Edge)
          .atMost(1)
          .when("way", {"curve"}),
      picks("planes", "Mirror planes", "One, or two for three images; without one, the side plane.", kPlaneOrFace).optional().atMost(2).when("way", {"mirrored"}),
      many("count", "Count", "The first one counts, too.", "3").unless("way", {"mirrored"}),
      choice("spread", "Spread", "By the distance from one to the next, or from the first to the last; along a curve to its end.",
             {{"spacing", "by distance"}, {"over", "over the whole"}})
          .when("way", {"line", "grid", "curve"}),
      length("spacing", "Distance", "From one to the next.", "20").withHandle(Handle::Distance).when("way", {"line", "grid", "curve"}).when("spread", {"spacing"}),
      length("over", "Whole", "From the first to the last.", "100").withHandle(Handle::Distance).when("way", {"line", "grid"}).when("spread", {"over"}),
      picks("across", "Rows along", "Where the next rows are; without one, along y.", kLine).prefer(Kind::Curve | Kind::Edge).optional().atMost(1).when("way", {"grid"}),
      many("rows", "Rows", "How many.", "2").when("way", {"grid"}),
      length("rowSpacing", "Row distance", "From one row to the next.", "20").withHandle(Handle::Distance).when("way", {"grid"}).when("spread", {"spacing"}),
      length("rowOver", "Rows, whole", "From the first row to the last.", "100").withHandle(Handle::Distance).when("way", {"grid"}).when("spread", {"over"}),
      length("shift", "Shift", "Every other row stands so far along.", "0").when("way", {"grid"}),
      choice("turn", "Spread", "All around evenly; from the first to the last within an angle; or by the angle from one to the next.",
             {{"full", "all around"}, {"over", "within an angle"}, {"each", "by angle"}})
          .when("way", {"round"}),
      angle("angle", "Angle", "Counter-clockwise about the axis.", "30").within(-3600, 3600).when("way", {"round"}).unless("turn", {"full"}),
      many("rings", "Rings", "Further ones outwards.", "1").when("way", {"round"}),
      length("ringSpacing", "Ring distance", "From one ring to the next.", "20").when("way", {"round"}),
      countField("more", "More each ring", "So many more copies in each further ring.", "0").within(0, kMostCopies).seldomSet().when("way", {"round"}),
      toggle("turned", "Turn along", "Copies turn with their places; else they stand as the first does.", true).when("way", {"round"}),
      choice("stand", "Stand", "How the copies stand: turned as the curve turns, or about the upright only, or as the first does.",
             {{"curve", "with the curve"}, {"upright", "with the curve, upright"}, {"kept", "as the first"}})
          .when("way", {"curve"}),
      picks("skin", "Square to", "A skin or solid near the curve: the copies stand on it as the first one does.", Kind::Skin | Kind::Solid | Kind::Face)
          .optional()
          .atMost(1)
          .when("way", {"curve"})
          .when("stand", {"curve"})};
}

Schema schema() {
  Schema s{picks("what", "Objects", "The bodies, faces, curves and points to repeat.", kPlaceable | Kind::Face).prefer(kPlaceable)};
  for (Field& f : placeFields()) s.push_back(std::move(f));
  s.push_back(choice("as", "Result", "Copies, each a body of its own; all together one body; or all of them added to other solids or cut out of these.",
                     {{"copies", "copies"}, {"one", "one body"}, {"add", "added to"}, {"cut", "cut out of"}}));
  s.push_back(picks("bodies", "Target bodies", "Solids that change.", Kind::Solid).when("as", {"add", "cut"}));
  s.push_back(table("changes", "Changed", "Copies that are left out or stand elsewhere.",
                    {toggle("out", "Left out", "It is not made.", false), length("x", "x", "Moved along x.", "0"), length("y", "y", "Moved along y.", "0"),
                     length("z", "z", "Moved along z.", "0")})
                  .clicked());
  return s;
}

double stepOf(const Inputs& in, const char* spacing, const char* over, int count) {
  return in.text("spread") == "over" ? in.number(over) / std::max(1, count - 1) : in.number(spacing);
}

Expected<CopyPlaces> rowPlaces(const Inputs& in, const Tolerances& tol) {
  LUMSK_TRY(first, lineOf(in, "direction", tol, {Vec3::Zero(), Vec3::UnitX()}));
  nurbs::RowOf row{first.direction, in.integer("count"), stepOf(in, "spacing", "over", in.integer("count"))}, rows;
  double shift = 0;
  if (in.text("way") == "grid") {
    LUMSK_TRY(second, lineOf(in, "across", tol, {Vec3::Zero(), Vec3::UnitY()}));
    rows = {second.direction, in.integer("rows"), stepOf(in, "rowSpacing", "rowOver", in.integer("rows"))};
    shift = in.number("shift");
    if (rows.count > 1 && row.count > 1 && first.direction.cross(second.direction).norm() < radFromDeg(tol.angle.deg))
      return fail(problem("LM-M012", "both directions are the same").at(second.at).inField("across").tryThis("pick another direction for the rows"));
  }
  return nurbs::inRows(row, rows, shift);
}

Expected<CopyPlaces> roundPlaces(const Inputs& in, const Vec3& middle, const Tolerances& tol) {
  LUMSK_TRY(axis, lineOf(in, "axis", tol));
  nurbs::RoundAxis o;
  o.at = axis.at, o.axis = axis.direction;
  o.count = in.integer("count");
  const std::string turn = in.text("turn");
  o.stepDeg = turn == "full" ? 360.0 / o.count : turn == "over" ? in.number("angle") / std::max(1, o.count - 1) : in.number("angle");
  o.turned = in.on("turned");
  o.rings = in.integer("rings"), o.ringStepMm = in.number("ringSpacing"), o.more = in.integer("more");
  return nurbs::aroundAxis(o, middle);
}

Expected<CopyPlaces> curvePlaces(const Inputs& in, const Vec3& middle, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  nurbs::AlongPath o;
  o.count = in.integer("count");
  if (in.text("spread") == "spacing") o.stepMm = in.number("spacing");
  if (in.text("spread") == "spacing" && !(o.stepMm > 0))
    return fail(problem("LM-M013", "copies along a curve need a distance above nought").measure(millimetres(o.stepMm)).at(path.start()).inField("spacing").tryThis("give a distance, or spread them over the whole"));
  const nurbs::ArcLength length(path);
  const auto tangent = [&](double f) {
    nurbs::CurveDerivatives d;
    path.derivatives(length.parameterAtFraction(f), 1, d);
    return std::pair(d[0], Vec3(d[1].normalized()));
  };
  const std::string stand = in.text("stand");
  if (stand == "kept") return nurbs::alongPath(path, o, middle, [&](double f) { return Frame{tangent(f).first, Vec3::UnitX(), Vec3::UnitY()}; });
  if (stand == "upright")
    return nurbs::alongPath(path, o, middle, [&](double f) {
      const auto [at, along] = tangent(f);
      const Vec3 level(along.x(), along.y(), 0);
      const Vec3 x = level.norm() > 1e-9 ? Vec3(level.normalized()) : Vec3(Vec3::UnitX());
      return Frame{at, x, Vec3::UnitZ().cross(x)};
    });
  if (in.picked("skin").empty()) {
    const nurbs::LeastTwist frames(path);
    return nurbs::alongPath(path, o, middle, [&](double f) { return frames.at(f); });
  }
  const Picked& skin = in.picked("skin").front();
  LUMSK_TRY(faces, brep::BodyFaces::of(skin.body ? *skin.body : *std::get<brep::BodyPtr>(skin.object), skin.kind == Kind::Face ? skin.index : -1, cx));
  return nurbs::alongPath(path, o, middle, [&](double f) {
    const auto [at, along] = tangent(f);
    const auto place = faces.beside(at);
    const Vec3 up = place ? place->normal : Vec3(Vec3::UnitZ());
    const Vec3 x = (along - along.dot(up) * up).normalized();
    return Frame{at, x, up.cross(x)};
  });
}

Expected<CopyPlaces> placesOf(const Inputs& in, const Vec3& middle, const Context& cx) {
  const std::string way = in.text("way");
  if (way == "round") return roundPlaces(in, middle, cx.tolerances);
  if (way == "curve") return curvePlaces(in, middle, cx);
  if (way != "mirrored") return rowPlaces(in, cx.tolerances);
  std::vector<Frame> planes;
  for (const Picked& p : in.picked("planes")) planes.push_back(std::get<PlaneObject>(p.object).frame);
  if (planes.empty()) planes.push_back(sidePlane());
  return nurbs::inMirrors(planes);
}

/// One thing that is repeated.
struct Thing {
  const Picked* pick;
  Object object;
  bool part = false; ///< faces of a body, which stays as it is
};

std::vector<Thing> thingsOf(const Inputs& in) {
  std::vector<Thing> out;
  std::vector<Picked> bodies;
  for (const Picked& p : in.picked("what"))
    if (p.kind == Kind::Curve || p.kind == Kind::Point) out.push_back({&p, p.object});
    else bodies.push_back(p);
  for (const PickedParts& parts : partsByBody(bodies)) {
    const auto pick = std::find_if(in.picked("what").begin(), in.picked("what").end(), [&](const Picked& p) { return p.item == parts.item; });
    if (parts.faces.empty()) out.push_back({&*pick, parts.body});
    else
      for (const brep::BodyPtr& skin : brep::facesApart(*parts.body, parts.faces, false)) out.push_back({&*pick, skin, true});
  }
  return out;
}

/// What a click or a drag has changed of the copies, by their names.
struct Change {
  bool out = false;
  Vec3 by = Vec3::Zero();
};

std::map<std::string, Change> changesOf(const Inputs& in) {
  std::map<std::string, Change> out;
  const auto ids = in.rowIds("changes");
  for (size_t i = 0; i < ids.size(); ++i) {
    const auto number = [&](const char* key) { return in.itemNumber("changes", i, key).value_or(0.0); };
    out[ids[i]] = {in.itemOn("changes", i, "out"), Vec3(number("x"), number("y"), number("z"))};
  }
  return out;
}

struct Copy {
  std::string name;
  const Thing* thing;
  Object object;
  size_t place; ///< number
  bool first;   ///< the thing itself, unmoved
};

class Repeating {
public:
  Repeating(const Inputs& in, const Context& cx) : in_(in), cx_(cx), as_(in.text("as")), things_(thingsOf(in)) {}

  Expected<Outcome> run() {
    Vec3 middle = Vec3::Zero();
    for (const Thing& t : things_) middle += middleOf(t.object) / double(things_.size());
    LUMSK_TRY(places, placesOf(in_, middle, cx_));
    if (places.size() > size_t(kMostCopies))
      return fail(problem("LM-M010", "these are more copies than Lumsk makes at once").measure(count(double(places.size()))).want(count(kMostCopies)).at(middle).inField("count").tryThis("repeat fewer"));
    LUMSK_CHECK(makeCopies(places, middle));
    if (copies_.empty()) return fail(problem("LM-M014", "all copies are left out").at(middle).inField("changes").tryThis("click one of the marks to take it in again"));
    LUMSK_CHECK(as_ == "copies" ? putCopies() : as_ == "one" ? putOne() : putInto());
    addHandles(middle);
    out_.summary = std::to_string(places.size() - size_t(left_)) + " places" + (left_ ? " - " + std::to_string(left_) + " left out" : "") +
                   (as_ == "copies" ? "" : as_ == "one" ? " - one body" : as_ == "add" ? " - added" : " - cut");
    return std::move(out_);
  }

private:
  /// Which of several things a copy's name ends with.
  std::string nameOf(const std::string& place, size_t thing) const { return thing == 0 ? place : place + "." + things_[thing].pick->item + (things_[thing].part ? std::to_string(thing) : ""); }

  Expected<void> makeCopies(const CopyPlaces& places, const Vec3& middle) {
    const auto changes = changesOf(in_);
    for (size_t k = 0; k < places.size(); ++k) {
      cx_.report(double(k) / double(places.size()), "copying");
      if (cx_.stopped()) return fail(cancelled());
      const auto it = changes.find(places[k].name);
      const Change change = it == changes.end() ? Change() : it->second;
      if (places.size() <= kMostMarks)
        out_.marks.add(Grip{"changes", places[k].name, places[k].placing * middle + change.by, Vec3::Zero(), !change.by.isZero(), {}, Vec3::Zero(), "out", change.out});
      left_ += change.out;
      if (change.out) continue;
      const Eigen::Affine3d t = Eigen::Translation3d(change.by) * places[k].placing;
      for (size_t i = 0; i < things_.size(); ++i) {
        if (k == 0 && change.by.isZero()) {
          copies_.push_back({nameOf(places[k].name, i), &things_[i], things_[i].object, k, true});
          continue;
        }
        LUMSK_TRY(made, placed(things_[i].object, t, [&](const std::string& source) { return brep::faceName(in_.stepId(), "copy" + places[k].name, source); }));
        copies_.push_back({nameOf(places[k].name, i), &things_[i], std::move(made), k, false});
      }
    }
    return {};
  }

  /// What is repeated stays as it is; it is gone where it was left out, and goes on where it was moved.
  Expected<void> putCopies() {
    bool stays = false;
    for (Copy& c : copies_) {
      stays |= c.first;
      if (c.first) continue;
      const bool moved = !c.thing->part && c.place == 0 && std::holds_alternative<brep::BodyPtr>(c.object);
      out_.outputs.push_back({c.name, c.object, moved ? c.thing->pick->objectId() : ""});
    }
    if (!stays) useUpAll();
    noteOverlaps();
    return {};
  }

  Expected<void> putOne() {
    LUMSK_TRY(bodies, bodiesOnly("one body is made of bodies"));
    auto made = brep::together(bodies, cx_);
    if (!made) return fail(made.error().inField("as"));
    const Thing& first = *copies_.front().thing;
    out_.outputs.push_back({"", *made, first.part ? "" : first.pick->objectId()});
    useUpAll();
    return {};
  }

  Expected<void> putInto() {
    LUMSK_TRY(tools, bodiesOnly("only solids are added to others or cut out of them"));
    // What its own step has combined already is not combined once more.
    for (size_t i = tools.size(); i-- > 0;)
      if (copies_[i].first && combinedAlready(*copies_[i].thing->pick)) tools.erase(tools.begin() + long(i));
    for (const brep::BodyPtr& b : tools)
      if (!b->solid()) return fail(problem("LM-M016", "only solids are added to others or cut out of them").at(middleOf(Object(b))).inField("what").tryThis("close it first, or take copies"));
    if (tools.empty()) return fail(problem("LM-M014", "all copies are left out").at(middleOf(things_.front().object)).inField("changes").tryThis("click one of the marks to take it in again"));
    const auto how = as_ == "add" ? brep::Combine::Add : brep::Combine::Cut;
    for (const PickedParts& target : partsByBody(in_.picked("bodies"))) {
      for (const Thing& t : things_)
        if (t.pick->objectId() == target.object)
          return fail(problem("LM-B014", "a body cannot be combined with itself").at(middleOf(t.object)).inField("bodies").tryThis("take it out of one of the two"));
      auto made = brep::combined(target.body, tools, how, cx_);
      if (!made) return fail(made.error().inField("bodies"));
      putParts(out_, target, *made);
    }
    useUpAll();
    return {};
  }

  Expected<std::vector<brep::BodyPtr>> bodiesOnly(const char* why) const {
    std::vector<brep::BodyPtr> out;
    for (const Copy& c : copies_) {
      const auto* b = std::get_if<brep::BodyPtr>(&c.object);
      if (!b) return fail(problem("LM-M016", why).at(middleOf(c.object)).inField("what").tryThis("take copies as the result"));
      out.push_back(*b);
    }
    return out;
  }

  /// A step's own solid, which that step has added to another or cut out of it.
  static bool combinedAlready(const Picked& p) { return p.output.rfind(kAlone, 0) == 0; }

  void useUpAll() {
    for (const Thing& t : things_)
      if (!t.part && t.pick->step != "world") out_.usedUp.push_back(t.pick->objectId());
  }

  /// Solids that reach into one another are wanted as one body; as copies they are a mistake that a print would show.
  void noteOverlaps() {
    std::vector<const brep::Body*> bodies; // of the first thing: places that lie to one another as others do
    for (const Copy& c : copies_)
      if (const auto* b = std::get_if<brep::BodyPtr>(&c.object); b && (*b)->solid() && c.thing == copies_.front().thing) bodies.push_back(b->get());
    if (bodies.size() < 2) return;
    if (const auto at = brep::reachesInto(*bodies.front(), {bodies.begin() + 1, bodies.end()}))
      out_.notes.push_back(problem("LM-M110", "copies reach into one another").at(*at).tryThis("take fewer or a larger distance, leave some out, or make one body of them"));
  }

  void addHandles(const Vec3& middle) {
    const auto line = [&](const char* key, const Vec3& otherwise) { return lineOf(in_, key, cx_.tolerances, {Vec3::Zero(), otherwise}); };
    const std::string way = in_.text("way");
    if (way != "line" && way != "grid") return;
    const bool over = in_.text("spread") == "over";
    if (const auto d = line("direction", Vec3::UnitX())) out_.marks.add(HandlePlace{over ? "over" : "spacing", middle, d->direction, 1.0});
    if (way == "grid")
      if (const auto d = line("across", Vec3::UnitY())) out_.marks.add(HandlePlace{over ? "rowOver" : "rowSpacing", middle, d->direction, 1.0});
  }

  const Inputs& in_;
  const Context& cx_;
  std::string as_;
  std::vector<Thing> things_;
  std::vector<Copy> copies_;
  Outcome out_;
  int left_ = 0; ///< out
};

Expected<Outcome> compute(const Inputs& in, const Context& cx) { return Repeating(in, cx).run(); }

/// The solids that a step has combined with others, added or cut as there; else its bodies as copies.
nlohmann::json repeats(const std::string& step, const Outcome& made) {
  nlohmann::json what = nlohmann::json::array(), bodies = nlohmann::json::array();
  std::string how;
  const auto pick = [&](const Output& o, size_t number) {
    const bool solid = std::get<brep::BodyPtr>(o.object)->solid();
    return nlohmann::json{{"id", "p" + std::to_string(number)}, {"step", step}, {"part", o.name}, {"kind", solid ? "solid" : "skin"}};
  };
  for (const Output& o : made.outputs) {
    if (!std::holds_alternative<brep::BodyPtr>(o.object)) continue;
    if (!o.alone.empty()) how = o.alone;
    auto& list = o.alone.empty() ? bodies : what;
    list.push_back(pick(o, list.size() + 1));
  }
  if (how == "add" || how == "cut") return {{"what", what}, {"as", how}, {"bodies", bodies}, {"way", "round"}};
  return bodies.empty() ? nlohmann::json() : nlohmann::json{{"what", bodies}};
}

} // namespace repeat_

Step repeat() {
  Step s = Step{"repeat", 1, "Repeat", Stage::Trim, repeat_::schema, repeat_::compute}.under("change");
  s.repeats = repeat_::repeats;
  return s;
}

} // namespace lumsk::steps
