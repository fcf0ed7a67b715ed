#include "steps/cutting.h"

#include "brep/curves_on.h"
#include "brep/offset/offset_body.h"
#include "steps/curves.h"
#include "steps/directions.h"

#include <algorithm>
#include <set>

namespace lumsk::steps {

using namespace recipe;

namespace {

constexpr double kOnBody = 10; ///< point tolerances: a curve that is no further away lies on the body

/// Whether a curve lies on one of the bodies.
Expected<bool> liesOn(const std::vector<brep::BodyPtr>& targets, const nurbs::Path& path, const Context& cx) {
  for (const auto& t : targets) {
    LUMSK_TRY(faces, brep::BodyFaces::of(*t, -1, cx));
    if (faces.farthest(path) <= kOnBody * cx.tolerances.point.mm) return true;
  }
  return false;
}

/// The direction along which a curve is carried; nothing: its nearest places count.
Expected<std::optional<Vec3>> carrying(const Inputs& in, const nurbs::Path& path,
                                       const std::vector<brep::BodyPtr>& targets, const Context& cx) {
  const std::string how = in.text("curves");
  if (how == "nearest") return std::optional<Vec3>();
  if (how == "direction") {
    LUMSK_TRY(line, lineOf(in, "direction", cx.tolerances));
    return std::optional<Vec3>(line.direction);
  }
  return carriedAlong(path, targets, cx);
}

} // namespace

Expected<std::optional<Vec3>> carriedAlong(const nurbs::Path& path, const std::vector<brep::BodyPtr>& targets, const Context& cx) {
  LUMSK_TRY(lies, liesOn(targets, path, cx));
  if (lies) return std::optional<Vec3>();
  const nurbs::PlaneOfPoints plane = nurbs::fitPlane(nurbs::polyline(path, 16));
  if (!plane.unique || plane.deviationMm > kOnBody * cx.tolerances.point.mm)
    return fail(problem("LM-C006", plane.unique ? "a curve that lies off the body and in no plane needs a direction"
                                                : "a straight line off the body needs a direction")
                    .at(path.at(0.5 * path.last()))
                    .inField("curves")
                    .tryThis("choose 'along a direction', or 'nearest places'")
                    .offer({"nearest places", "curves", "nearest"}));
  return std::optional<Vec3>(plane.frame.normal());
}

void addCutters(Schema& s, const std::string& bodyHelp, std::vector<DrawnHere> drawn) {
  s.push_back(picks("body", "Bodies", bodyHelp, Kind::Skin | Kind::Solid));
  s.push_back(toggle("mutual", "By each other", "The bodies cut each other.", false));
  s.push_back(picks("by", "By", "What cuts: planes, skins, solids, faces, and curves on the bodies or off them.",
                    Kind::Plane | Kind::Curve | Kind::Edge | Kind::Face | Kind::Skin | Kind::Solid)
                  .drawnHere(std::move(drawn))
                  .unless("mutual", {"true"}));
  s.push_back(choice("curves", "Curves cut", "How curves reach the bodies.",
                     {{"auto", "by themselves: as they lie, or square to their plane"},
                      {"nearest", "at the nearest places"},
                      {"direction", "along a direction"}})
                  .seldomSet());
  s.push_back(picks("direction", "Direction", "A plane's normal, a straight line or an axis; without one, upright.",
                    kLine)
                  .optional()
                  .atMost(1)
                  .when("curves", {"direction"}));
  s.push_back(choice("extend", "Carry on", "How far cutters that stop short go on.",
                     {{"auto", "by itself: an eighth of their size"}, {"length", "up to a length"}, {"no", "not at all"}})
                  .seldomSet());
  s.push_back(length("reach", "Up to", "Cutters go on straight for so much.", "10").within(0, 1e5).when("extend", {"length"}));
}

namespace {

constexpr char kBehind = '<', kBefore = '>';

/// Two cutters in place of each, half a gap behind and before it.
Expected<std::vector<brep::Divider>> apart(const std::vector<brep::Divider>& dividers, double gapMm, const Context& cx) {
  std::vector<brep::Divider> out;
  for (const brep::Divider& d : dividers)
    for (const double side : {-0.5, 0.5}) {
      brep::Divider one = d;
      one.id += side < 0 ? kBehind : kBefore;
      if (d.plane) {
        one.plane->origin = d.plane->at(0, 0, side * gapMm);
      } else if (d.body) {
        brep::OffsetBodyOptions o;
        o.distanceMm = side * gapMm, o.step = d.id;
        if (d.face >= 0) o.faces = {d.face};
        LUMSK_TRY(moved, brep::offsetBody(*d.body, o, cx));
        one.body = moved.body;
        one.face = -1;
      } else {
        Problem p = problem("LM-C015", "a gap along a curve needs a skin through it: its two sides are not known").at(d.path->at(0.5 * d.path->last())).tryThis("extrude the curve, and split by that skin");
        p.item = d.id;
        return fail(p.inField("by"));
      }
      out.push_back(std::move(one));
    }
  return out;
}

} // namespace

std::vector<char> withoutGaps(const std::vector<brep::Piece>& pieces) {
  std::vector<char> out;
  for (const brep::Piece& p : pieces)
    out.push_back(std::none_of(p.sides.begin(), p.sides.end(), [&](const auto& s) {
      if (s.first.back() != kBehind || s.second != brep::SideOf::Front) return false;
      const auto other = p.sides.find(s.first.substr(0, s.first.size() - 1) + kBefore);
      return other != p.sides.end() && other->second == brep::SideOf::Back;
    }));
  return out;
}

Expected<Cut> cutOf(const Inputs& in, const Context& cx, double gapMm) {
  Cut c;
  const auto& bodies = in.picked("body");
  for (const Picked& p : bodies) c.targets.push_back(std::get<brep::BodyPtr>(p.object));
  if (in.on("mutual")) {
    if (bodies.size() < 2)
      return fail(problem("LM-C005", "one body cannot cut itself").inField("body").isMissing().tryThis("pick another one"));
    for (size_t i = 0; i < bodies.size(); ++i) {
      brep::Divider d;
      d.id = bodies[i].item;
      d.body = c.targets[i];
      c.dividers.push_back(std::move(d));
    }
  } else {
    for (const Picked& p : in.picked("by")) {
      brep::Divider d;
      d.id = p.item;
      if (const auto* plane = std::get_if<PlaneObject>(&p.object)) {
        d.plane = plane->frame;
      } else if (const auto* body = std::get_if<brep::BodyPtr>(&p.object)) {
        d.body = *body;
        if (p.kind == Kind::Face) d.face = p.index;
      } else {
        const CurvePtr curve = curveOf(p);
        auto along = carrying(in, *curve, c.targets, cx);
        if (!along) {
          along.error().item = p.item;
          return fail(along.error());
        }
        d.path = curve;
        d.direction = *along;
      }
      c.dividers.push_back(std::move(d));
    }
  }
  brep::DivisionOptions o;
  o.step = in.stepId();
  if (in.text("extend") == "length") o.reachMm = in.number("reach");
  if (in.text("extend") == "no") o.reachMm = 0;
  if (gapMm > 0) {
    LUMSK_TRY(two, apart(c.dividers, gapMm, cx));
    c.dividers = std::move(two);
  }
  auto made = brep::Division::of(c.targets, c.dividers, o, cx);
  if (!made) {
    if (made.error().field.empty()) made.error().inField(in.on("mutual") ? "body" : "by");
    return fail(made.error());
  }
  c.division = std::move(*made);
  return c;
}

namespace {

/// Words as older files have them: without the steps of the dividers.
std::string withoutSteps(const std::string& words) {
  std::string out;
  bool step = false;
  for (char c : words) {
    if (c == '@') step = true;
    if (c == ':') step = false;
    if (!step) out += c;
  }
  return out;
}

} // namespace

std::string wordsOf(const brep::Piece& p, const Inputs& in) {
  const auto stepOf = [&](const std::string& id) {
    for (const char* key : {"by", "body"})
      if (in.has(key))
        for (const Picked& d : in.picked(key))
          if (d.item == id) return "@" + d.step;
    return std::string();
  };
  std::string out;
  const std::set<std::string> faces(p.faces.begin(), p.faces.end());
  for (const std::string& f : faces) out += (out.empty() ? "" : "+") + f;
  out += ";";
  for (const auto& [id, side] : p.sides)
    out += " " + id + stepOf(id) + (side == brep::SideOf::Front ? ":front" : side == brep::SideOf::Back ? ":back" : ":both");
  return out;
}

Field piecesField(const std::string& key) {
  return table(key, "Pieces", "The pieces that were clicked, by what they are made of and where they lie.",
               {text("piece", "Piece", "What it is known by.", ""), length("x", "x", "Where it was clicked, or lay.", "0"),
                length("y", "y", "Where it was clicked, or lay.", "0"), length("z", "z", "Where it was clicked, or lay.", "0")})
      .clicked();
}

FoundPieces chosenPieces(const Inputs& in, const std::string& key, const brep::Division& division) {
  const std::vector<brep::Piece>& pieces = division.pieces();
  FoundPieces out;
  out.chosen.assign(pieces.size(), 0);
  out.row.resize(pieces.size());
  const auto ids = in.rowIds(key), words = in.texts(key, "piece");
  const auto x = in.column(key, "x"), y = in.column(key, "y"), z = in.column(key, "z");
  const auto sidesOf = [](const std::string& w) { return w.substr(std::min(w.find(';'), w.size())); };
  for (size_t r = 0; r < ids.size(); ++r) {
    const Vec3 at(x[r], y[r], z[r]);
    int best = -1, how = 3;
    double nearest = 1e300, second = 1e300; // of those that are as like
    for (size_t i = 0; i < pieces.size(); ++i) {
      if (!out.row[i].empty()) continue;
      std::string w = wordsOf(pieces[i], in);
      if (words[r].find('@') == std::string::npos) w = withoutSteps(w);
      const int now = w == words[r] ? 0 : sidesOf(w) == sidesOf(words[r]) ? 1 : 2;
      const double d = now == 2 ? division.distanceMm(int(i), at) : (pieces[i].at - at).norm(); // its own place may be anywhere in it
      if (now > how) continue;
      second = now < how ? 1e300 : std::min(second, std::max(d, nearest));
      if (now < how || d < nearest) best = int(i), nearest = d;
      how = now;
    }
    if (best < 0) {
      out.lost.emplace_back(ids[r], at);
      continue;
    }
    out.chosen[size_t(best)] = 1;
    out.row[size_t(best)] = ids[r];
    if (how == 2 || second < 2 * nearest) out.doubtful.emplace_back(ids[r], pieces[size_t(best)].at);
  }
  return out;
}

void putPieces(Outcome& out, const Inputs& in, std::vector<brep::Divided> bodies) {
  const auto& picked = in.picked("body");
  std::vector<int> made(picked.size(), 0);
  for (brep::Divided& b : bodies) {
    const size_t t = size_t(b.target);
    const int n = ++made[t];
    std::string name = t == 0 ? "" : picked[t].item;
    if (n > 1) name += (name.empty() ? "" : "-") + std::to_string(n);
    out.outputs.push_back({name, std::move(b.body), n == 1 ? picked[t].objectId() : ""});
  }
  for (const Picked& p : picked) out.usedUp.push_back(p.objectId());
}

void addNotes(Outcome& out, const brep::Division& division) {
  for (const Problem& n : division.notes()) out.notes.push_back(n);
  noteCarriedOn(out, division.carriedOn());
}

void noteCarriedOn(Outcome& out, const std::vector<brep::CarriedOn>& carried, const std::string& what) {
  for (const brep::CarriedOn& c : carried) {
    Problem note = problem("LM-C102", what + " stopped short and was carried on, straight").measure(millimetres(c.mm)).at(c.at);
    note.item = c.divider;
    out.notes.push_back(std::move(note));
  }
}

} // namespace lumsk::steps
