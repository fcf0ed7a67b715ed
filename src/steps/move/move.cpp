#include "steps/placing.h"

namespace lumsk::steps {

using namespace recipe;

namespace move_ {

Schema schema() {
  return {picks("what", "Objects", "The bodies, curves, points and planes to move.", kPlaceable | Kind::Plane),
          length("x", "x", "How far along x.", "0"),
          length("y", "y", "How far along y.", "0"),
          length("z", "z", "How far along z.", "0").withHandle(Handle::Distance),
          picks("along", "Along", "A direction to move along besides: a straight line or edge, a plane's or flat face's normal, an axis.", kLine)
              .optional()
              .atMost(1),
          length("distance", "Distance", "How far along that direction.", "10").withHandle(Handle::Distance).when("along", {"picked"}),
          angle("turn", "Turn", "About the axis, counter-clockwise; before moving.", "0"),
          choice("axis", "Axis", "Axis of the turn, through the origin of the world or the middle point; or a picked one.",
                 {{"z", "z"}, {"x", "x"}, {"y", "y"}, {"picked", "a picked one"}}),
          picks("line", "Turned about", "A straight line or edge, the axis of a circle or a round face, a plane's normal.", kLine)
              .prefer(Kind::Curve | Kind::Edge)
              .atMost(1)
              .when("axis", {"picked"}),
          picks("about", "About", "Point the axis passes through; without one, the origin.", Kind::Point)
              .optional()
              .atMost(1)
              .unless("axis", {"picked"}),
          toggle("copy", "Keep original", "Leaves the original where it is.", false)};
}

/// The axis of the turn.
Expected<PickedLine> axisOf(const Inputs& in, const Tolerances& tol) {
  const std::string name = in.text("axis");
  if (name == "picked") return lineOf(in, "line", tol);
  const auto& about = in.picked("about");
  return PickedLine{about.empty() ? Vec3(Vec3::Zero()) : std::get<PointObject>(about.front().object).at,
                    name == "x" ? Vec3::UnitX() : name == "y" ? Vec3::UnitY() : Vec3::UnitZ()};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(axis, axisOf(in, cx.tolerances));
  const Vec3 byAxes(in.number("x"), in.number("y"), in.number("z"));
  Vec3 shift = byAxes;
  std::optional<PickedLine> along;
  if (!in.picked("along").empty()) {
    LUMSK_TRY(line, lineOf(in, "along", cx.tolerances));
    along = line;
    shift += in.number("distance") * line.direction;
  }
  Eigen::Affine3d t = Eigen::Affine3d::Identity();
  t.translate(shift + axis.at);
  t.rotate(Eigen::AngleAxisd(radFromDeg(in.number("turn")), axis.direction));
  t.translate(-axis.at);
  Outcome out;
  LUMSK_CHECK(putPlaced(out, in.picked("what"), t, in.on("copy")));
  // Where it was before it was moved by the handle's own share.
  const Vec3 now = middleOf(out.outputs.front().object);
  out.marks.add(HandlePlace{"z", now - Vec3(0, 0, byAxes.z()), Vec3::UnitZ(), 1.0});
  if (along) out.marks.add(HandlePlace{"distance", now - in.number("distance") * along->direction, along->direction, 1.0});
  const double turn = in.number("turn");
  if (shift.norm() > 0 || turn == 0)
    out.summary = "by " + formatNumber(shift.x()) + ", " + formatNumber(shift.y()) + ", " + formatNumber(shift.z());
  if (turn != 0)
    out.summary += (out.summary.empty() ? "" : " - ") + std::string("turned by ") + format(degrees(turn)) + " about " +
                   (in.text("axis") == "picked" ? "an axis" : in.text("axis"));
  return out;
}

} // namespace move_

Step move() { return Step{"move", 1, "Move", Stage::Trim, move_::schema, move_::compute}.under("change"); }

} // namespace lumsk::steps
