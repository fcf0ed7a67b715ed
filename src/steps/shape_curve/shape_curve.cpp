#include "nurbs/curves/curve_refit.h"
#include "nurbs/reshape/shape_points.h"
#include "steps/curves.h"

#include <nlohmann/json.hpp>

namespace lumsk::steps {

using namespace recipe;

namespace shape_curve_ {

constexpr int kMostPoints = 400; ///< more cannot be told apart in the view

Schema schema() {
  return {
      picks("curve", "Curve", "The curve whose control points are moved; it becomes one spline of its stretches.",
            Kind::Curve | Kind::Edge)
          .atMost(1),
      choice("points", "Control points", "Those that it has, or new ones of a degree and number of spans.",
             {{"own", "its own"}, {"new", "new"}}),
      countField("degree", "Degree", "Of the new control points.", "5").within(2, 7).when("points", {"new"}),
      countField("spans", "Spans", "On every stretch between corners.", "3").within(1, 60).when("points", {"new"}),
      choice("along", "Drag", "How control points move when they are dragged in the view.",
             {{"screen", "in the screen"},
              {"normal", "along the normal"},
              {"tangent", "along the curve"},
              {"binormal", "square to both"}}),
      countField("falloff", "Falloff", "How many neighbours on each side follow, less and less.", "0").within(0, 50),
      picks("mirror", "Symmetric about", "A plane: what is moved on one side moves on the other, too.", Kind::Plane)
          .optional()
          .atMost(1),
      table(
          "moves", "Moves", "How far control points are moved from where the curve has them.",
          {length("x", "x", "In space.", "0"), length("y", "y", "In space.", "0"), length("z", "z", "In space.", "0")}),
      hideField("curve")};
}

/// Moves of the table's rows, whose ids are "c" and the number of the control point.
std::vector<nurbs::PointMove> movesOf(const Inputs& in) {
  const auto ids = in.rowIds("moves");
  const auto x = in.column("moves", "x"), y = in.column("moves", "y"), z = in.column("moves", "z");
  std::vector<nurbs::PointMove> out;
  for (size_t i = 0; i < ids.size(); ++i) {
    const bool numbered = ids[i].size() > 1 && ids[i].find_first_not_of("0123456789", 1) == std::string::npos;
    out.push_back({numbered ? std::atoi(ids[i].c_str() + 1) : -1, Vec3(x[i], y[i], z[i])});
  }
  return out;
}

void noteWhatDidNotHold(const nurbs::ShapedCurve& made, Outcome& out) {
  if (!made.lost.empty())
    out.notes.push_back(problem("LM-P114", "moves of control points that the curve no longer has do not count")
                            .measure(count(double(made.lost.size())))
                            .at(made.points.back())
                            .tryThis("take these rows out, or give the curve more control points"));
  if (!made.unmirrored.empty()) {
    Problem note = problem("LM-P115", "moved control points have no counterpart beyond the plane: they moved alone")
                       .measure(count(double(made.unmirrored.size())))
                       .tryThis("start from a symmetric curve, or leave the plane out");
    for (int k : made.unmirrored) note.at(made.points[size_t(k)]);
    out.notes.push_back(std::move(note));
  }
  if (!made.opened.empty()) {
    Problem note = problem("LM-P116", "a joint that was smooth is a corner now")
                       .tryThis("move its neighbours with it (falloff), or take new control points");
    note.where = made.opened;
    out.notes.push_back(std::move(note));
  }
}

Expected<nurbs::Path> baseOf(const Inputs& in, const Context& cx) {
  const nurbs::Path& old = *curveOf(in.picked("curve").front());
  nurbs::Path base = old;
  if (in.text("points") == "new") {
    nurbs::RefitOptions o;
    o.degree = in.integer("degree");
    o.spans = in.integer("spans");
    LUMSK_TRY(made, nurbs::refitted(old, o, cx));
    base = made.path;
  }
  LUMSK_TRY(n, nurbs::shapePointCount(base, cx));
  if (n > kMostPoints)
    return fail(problem("LM-P056", "this curve has too many control points to shape them one by one")
                    .measure(count(n))
                    .want(count(kMostPoints))
                    .at(old.start())
                    .inField("points")
                    .tryThis("take new control points: fewer spans"));
  return base;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(base, baseOf(in, cx));
  const auto moves = movesOf(in);
  nurbs::ShapeOptions o;
  o.falloff = in.integer("falloff");
  if (!in.picked("mirror").empty()) o.mirror = in.plane("mirror", {});
  LUMSK_TRY(made, nurbs::shaped(base, moves, o, cx));
  Outcome out =
      curveOutcome(made.path, std::to_string(made.points.size()) + " points - " + std::to_string(moves.size()) +
                                  " moved - by at most " + format(millimetres(made.movedMm), 3));
  for (const auto& line : made.polygons) out.marks.add(NetLine{line});
  const std::string along = in.text("along");
  for (int k = 0; k < int(made.points.size()); ++k) {
    const nurbs::PointFrame& f = made.frames[size_t(k)];
    const bool moved = std::any_of(moves.begin(), moves.end(), [&](const auto& m) { return m.point == k; });
    out.marks.add(Grip{"moves", "c" + std::to_string(k), made.points[size_t(k)],
                         along == "tangent"    ? f.tangent
                         : along == "normal"   ? f.normal
                         : along == "binormal" ? f.binormal
                                               : Vec3(Vec3::Zero()),
                         moved});
  }
  noteWhatDidNotHold(made, out);
  noteSelfCrossing(out, made.path, cx.tolerances);
  hidePicked(in, "curve", out);
  return out;
}

/// Whether the rows are all that is moved, from where the curve has its points.
bool onlyMoves(const nlohmann::json& in) {
  const auto falloff = in.find("falloff");
  return in.value("points", "own") == "own" && !in.contains("mirror") && (falloff == in.end() || *falloff == 0 || *falloff == "0");
}

} // namespace shape_curve_

Step shape_curve() { return Step{"shape_curve", 1, "Shape curve", Stage::Curves, shape_curve_::schema, shape_curve_::compute}.movingPoints({"curve", "moves", "c", shape_curve_::onlyMoves}).under("change"); }

} // namespace lumsk::steps
