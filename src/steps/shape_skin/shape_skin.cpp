#include "nurbs/network/shape_net.h"

#include "steps/face_sides.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace shape_skin_ {

constexpr int kMostPoints = 500; ///< more cannot be told apart in the view

Field lock(const std::string& key, const std::string& label) {
  return choice(key, label, "What stays at this side: nothing, its edge, tangents too, bending too.",
                {{"g0", "edge"}, {"free", "nothing"}, {"g1", "tangents"}, {"g2", "bending"}});
}

Schema schema() {
  return {picks("skin", "Skin", "The skin, or the face of one, whose control points are moved.", Kind::Skin | Kind::Face)
              .atMost(1),
          choice("points", "Control points",
                 "Those that it has; more of them on the same skin; new ones of a degree and number of spans; or as few as "
                 "come within a deviation.",
                 {{"own", "its own"}, {"more", "more"}, {"new", "new"}, {"near", "within a deviation"}}),
          countField("degreeU", "Degree u", "Along the rows.", "3").within(1, 7).unless("points", {"own"}),
          countField("degreeV", "Degree v", "Across them.", "3").within(1, 7).unless("points", {"own"}),
          countField("spansU", "Spans u", "Along the rows.", "4").within(1, 40).when("points", {"more", "new"}),
          countField("spansV", "Spans v", "Across them.", "4").within(1, 40).when("points", {"more", "new"}),
          length("deviation", "Deviation", "How far the new skin may leave the old one.", "0.05")
              .within(1e-4, 100)
              .when("points", {"near"}),
          choice("drag", "Drag", "How control points move when they are dragged in the view.",
                 {{"normal", "along the normal"},
                  {"plane", "in the skin's plane"},
                  {"u", "along rows u"},
                  {"v", "along rows v"},
                  {"screen", "in the screen"}}),
          countField("falloff", "Falloff", "How many rows around follow, less and less.", "0").within(0, 20),
          length("smooth", "Smooth by", "Makes the control points even first, each moved by at most so much.", "0")
              .within(0, 100),
          lock("left", "Keep at first u"),
          lock("right", "Keep at last u"),
          lock("start", "Keep at first v"),
          lock("end", "Keep at last v"),
          picks("mirror", "Symmetric about", "A plane: what is moved on one side moves on the other, too.", Kind::Plane)
              .optional()
              .atMost(1),
          table("moves", "Moves", "How far control points are moved from where the skin has them.",
                {length("x", "x", "In space.", "0"), length("y", "y", "In space.", "0"),
                 length("z", "z", "In space.", "0")})};
}

/// Rows of the table are called by the control point: "c3-5".
std::string idOf(int u, int v) { return "c" + std::to_string(u) + "-" + std::to_string(v); }

std::vector<nurbs::NetMove> movesOf(const Inputs& in) {
  const auto ids = in.rowIds("moves");
  const auto x = in.column("moves", "x"), y = in.column("moves", "y"), z = in.column("moves", "z");
  std::vector<nurbs::NetMove> out;
  for (size_t i = 0; i < ids.size(); ++i) {
    int u = -1, v = -1;
    if (std::sscanf(ids[i].c_str(), "c%d-%d", &u, &v) != 2) u = v = -1;
    out.push_back({u, v, Vec3(x[i], y[i], z[i])});
  }
  return out;
}

struct Base {
  brep::BodyPtr body;
  int face = 0;
  nurbs::Surface surface;
};

Expected<Base> baseOf(const Inputs& in, Outcome& out) {
  const Picked& p = in.picked("skin").front();
  Base b;
  b.body = p.kind == Kind::Face ? p.body : std::get<brep::BodyPtr>(p.object);
  if (!b.body) b.body = std::get<brep::BodyPtr>(p.object);
  b.face = p.kind == Kind::Face ? p.index : 0;
  const auto refused = [&](const char* what, const char* remedy) {
    const Vec3 at = brep::signatureOf(*b.body, brep::PartKind::Face, b.face).middle;
    return fail(problem("LM-P091", what).at(at).inField("skin").tryThis(remedy));
  };
  if (p.kind != Kind::Face && b.body->faceNames.size() > 1)
    return refused("this skin has several faces: one is shaped at a time", "pick the face that is meant");
  const auto spline = splineOf(*b.body, b.face);
  if (!spline)
    return refused("this face is trimmed, or no spline: it has no control points of its own",
                   "shape the skin before it is trimmed");
  b.surface = *spline;
  const std::string points = in.text("points");
  if (points == "own") return b;
  const nurbs::NetCounts counts{in.integer("degreeU"), in.integer("degreeV"),
                                points == "near" ? 1 : in.integer("spansU"), points == "near" ? 1 : in.integer("spansV")};
  if (points == "more") {
    b.surface = nurbs::refined(b.surface, counts);
    return b;
  }
  const double limit = points == "near" ? in.number("deviation") : 1e300;
  nurbs::NetRefit made = points == "near"
                             ? nurbs::refittedWithin(b.surface, counts.degreeU, counts.degreeV, {limit})
                             : nurbs::refitted(b.surface, counts);
  out.summary = "refitted within " + format(millimetres(made.deviationMm), 2) + " - ";
  if (made.deviationMm > limit)
    out.notes.push_back(problem("LM-P131", "the new skin leaves the old one by more than was allowed")
                            .measure(millimetres(made.deviationMm))
                            .want(millimetres(limit))
                            .at(made.deviationAt)
                            .tryThis("raise the degree, allow more, or smooth what it was made from"));
  b.surface = std::move(made.surface);
  return b;
}

void noteWhatDidNotHold(const nurbs::ShapedNet& made, Outcome& out) {
  if (!made.lost.empty())
    out.notes.push_back(problem("LM-P132", "moves of control points that the skin no longer has do not count")
                            .measure(count(double(made.lost.size())))
                            .tryThis("take these rows out, or give the skin more control points"));
  if (!made.held.empty()) {
    Problem note = problem("LM-P133", "moved control points stand in rows that are kept: they stay")
                       .measure(count(double(made.held.size())))
                       .tryThis("keep less at that side, or take these rows out");
    note.where = made.held;
    out.notes.push_back(std::move(note));
  }
  if (!made.unmirrored.empty()) {
    Problem note = problem("LM-P134", "moved control points have no counterpart beyond the plane: they moved alone")
                       .measure(count(double(made.unmirrored.size())))
                       .tryThis("start from a symmetric skin, or leave the plane out");
    note.where = made.unmirrored;
    out.notes.push_back(std::move(note));
  }
}

/// Lines through the control points, and a place to grab each of those that may move.
void addNet(const nurbs::ShapedNet& made, const std::vector<nurbs::NetMove>& moves, const std::string& drag, Outcome& out) {
  std::map<int, std::vector<Vec3>> rows, columns;
  for (const nurbs::NetPoint& p : made.points) {
    columns[p.u].push_back(p.at);
    rows[p.v].push_back(p.at);
    if (p.locked) continue;
    const bool moved = std::any_of(moves.begin(), moves.end(), [&](const auto& m) { return m.u == p.u && m.v == p.v; });
    Grip g{"moves", idOf(p.u, p.v), p.at};
    g.moved = moved;
    if (drag == "normal") g.along = p.normal;
    if (drag == "u") g.along = p.alongU;
    if (drag == "v") g.along = p.alongV;
    if (drag == "plane") g.plane = p.normal;
    out.marks.add(std::move(g));
  }
  for (auto* lines : {&rows, &columns})
    for (auto& [i, line] : *lines) out.marks.add(NetLine{std::move(line)});
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  LUMSK_TRY(base, baseOf(in, out));
  if (base.surface.controlPoints() > kMostPoints)
    return fail(problem("LM-P092", "this skin has too many control points to shape them one by one")
                    .measure(count(base.surface.controlPoints()))
                    .want(count(kMostPoints))
                    .at(base.surface.at(0.5, 0.5))
                    .inField("points")
                    .tryThis("take new control points: fewer spans"));
  nurbs::ShapeNetOptions o;
  o.falloff = in.integer("falloff");
  o.smoothMm = in.number("smooth");
  for (const auto& [side, key] : sideKeys()) {
    const std::string keep = in.text(key);
    o.locks[side] = keep == "free" ? -1 : keep[1] - '0';
  }
  if (!in.picked("mirror").empty()) o.mirror = in.plane("mirror", {});
  const auto moves = movesOf(in);
  const nurbs::ShapedNet made = nurbs::shapedNet(base.surface, moves, o);
  LUMSK_TRY(body, rebuilt(out, *base.body, {{base.face, {std::make_shared<const nurbs::Surface>(made.surface)}}},
                          "keep the edges of this face that others share", cx));
  const std::string object = in.picked("skin").front().objectId();
  out.outputs.push_back({"", body, object});
  out.usedUp.push_back(object);
  addNet(made, moves, in.text("drag"), out);
  noteWhatDidNotHold(made, out);
  out.summary += std::to_string(made.surface.controlPoints()) + " points - " + std::to_string(moves.size()) +
                 " moved - by at most " + format(millimetres(made.movedMm), 3);
  if (o.smoothMm > 0) out.summary += " - smoothed by at most " + format(millimetres(made.smoothedMm), 3);
  return out;
}

} // namespace shape_skin_

Step shape_skin() { return {"shape_skin", 1, "Shape skin", Stage::Flow, shape_skin_::schema, shape_skin_::compute}; }

} // namespace lumsk::steps
