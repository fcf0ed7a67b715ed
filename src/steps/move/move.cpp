#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {picks("what", "Object", "The body, curve, point or plane to move.",
                Kind::Skin | Kind::Solid | Kind::Curve | Kind::Point | Kind::Plane)
              .atMost(1),
          length("x", "x", "How far along x.", "0"),
          length("y", "y", "How far along y.", "0"),
          length("z", "z", "How far along z.", "0").withHandle(Handle::Distance),
          angle("turn", "Turn", "About the axis, counter-clockwise; before moving.", "0"),
          choice("axis", "Axis", "Axis of the turn, through the origin of the world or the middle point.",
                 {{"z", "z"}, {"x", "x"}, {"y", "y"}}),
          picks("about", "About", "Point the axis passes through; without one, the origin.", Kind::Point)
              .optional()
              .atMost(1),
          toggle("copy", "Keep original", "Leaves the original where it is.", false)};
}

Expected<Outcome> compute(const Inputs& in, const Context&) {
  const Picked& what = in.picked("what").front();
  const std::string axisName = in.text("axis");
  const Vec3 axis = axisName == "x" ? Vec3::UnitX() : axisName == "y" ? Vec3::UnitY() : Vec3::UnitZ();
  const auto& about = in.picked("about");
  const Vec3 pivot = about.empty() ? Vec3(Vec3::Zero()) : std::get<PointObject>(about.front().object).at;
  const Vec3 shift(in.number("x"), in.number("y"), in.number("z"));
  Eigen::Isometry3d t = Eigen::Isometry3d::Identity();
  t.translate(shift + pivot);
  t.rotate(Eigen::AngleAxisd(radFromDeg(in.number("turn")), axis));
  t.translate(-pivot);
  Outcome out;
  Vec3 from = pivot;
  if (const auto* body = std::get_if<brep::BodyPtr>(&what.object)) {
    LUMSK_TRY(m, brep::moved(**body, t));
    out.outputs.push_back({"", m, in.on("copy") ? "" : what.objectId()});
  } else if (const auto* curve = std::get_if<CurvePtr>(&what.object)) {
    from = (*curve)->start();
    out.outputs.push_back({"", std::make_shared<const nurbs::Path>(nurbs::transformed(**curve, t)), ""});
  } else if (const auto* point = std::get_if<PointObject>(&what.object)) {
    from = point->at;
    out.outputs.push_back({"", PointObject{t * point->at}, ""});
  } else {
    Frame f = std::get<PlaneObject>(what.object).frame;
    from = f.origin;
    out.outputs.push_back({"", PlaneObject{{t * f.origin, t.linear() * f.x, t.linear() * f.y}}, ""});
  }
  if (!in.on("copy") && what.step != "world") out.usedUp.push_back(what.objectId());
  out.marks.add(HandlePlace{"z", from + Vec3(shift.x(), shift.y(), 0), Vec3::UnitZ(), 1.0});
  const double turn = in.number("turn");
  if (shift.norm() > 0 || turn == 0)
    out.summary = "by " + formatNumber(shift.x()) + ", " + formatNumber(shift.y()) + ", " + formatNumber(shift.z());
  if (turn != 0)
    out.summary += (out.summary.empty() ? "" : " - ") + std::string("turned by ") + format(degrees(turn)) + " about " +
                   axisName;
  return out;
}

} // namespace

Step move() { return Step{"move", 1, "Move", Stage::Trim, schema, compute}.under("change"); }

} // namespace lumsk::steps
