#include "steps/placing.h"

namespace lumsk::steps {

using namespace recipe;

namespace scale_ {

Field factor(const std::string& key, const std::string& label, const std::string& help) {
  return ratioField(key, label, help, "1").within(0.001, 1000);
}

Schema schema() {
  return {picks("what", "Objects", "The bodies, curves and points to scale.", kPlaceable),
          choice("how", "How", "All ways alike; along one direction only; or along x, y and z each by its own factor.",
                 {{"even", "all ways alike"}, {"along", "along a direction"}, {"each", "along x, y and z"}}),
          factor("factor", "Factor", "Twice as large with 2; half with 0.5, or 1/2.").unless("how", {"each"}),
          picks("direction", "Direction", "A straight line or edge, an axis, or a plane's or flat face's normal; without one, upright.", kLine)
              .optional()
              .atMost(1)
              .when("how", {"along"}),
          factor("x", "x", "Factor along x.").when("how", {"each"}),
          factor("y", "y", "Factor along y.").when("how", {"each"}),
          factor("z", "z", "Factor along z.").when("how", {"each"}),
          picks("about", "About", "The point that stays; without one, the origin.", Kind::Point).optional().atMost(1),
          toggle("copy", "Keep original", "Leaves the original as it is.", false)};
}

Expected<Eigen::Matrix3d> matrixOf(const Inputs& in, const Tolerances& tol, std::string& words) {
  const std::string how = in.text("how");
  if (how == "each") {
    const Vec3 f(in.number("x"), in.number("y"), in.number("z"));
    words = "by " + formatNumber(f.x()) + ", " + formatNumber(f.y()) + ", " + formatNumber(f.z());
    return Eigen::Matrix3d(f.asDiagonal());
  }
  const double f = in.number("factor");
  words = "by " + formatNumber(f);
  if (how == "even") return Eigen::Matrix3d(f * Eigen::Matrix3d::Identity());
  LUMSK_TRY(line, lineOf(in, "direction", tol));
  words += " along a direction";
  return Eigen::Matrix3d(Eigen::Matrix3d::Identity() + (f - 1) * line.direction * line.direction.transpose());
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Outcome out;
  LUMSK_TRY(m, matrixOf(in, cx.tolerances, out.summary));
  const auto& about = in.picked("about");
  const Vec3 fixed = about.empty() ? Vec3(Vec3::Zero()) : std::get<PointObject>(about.front().object).at;
  Eigen::Affine3d t = Eigen::Affine3d::Identity();
  t.linear() = m;
  t.translation() = fixed - m * fixed;
  LUMSK_CHECK(putPlaced(out, in.picked("what"), t, in.on("copy")));
  return out;
}

} // namespace scale_

Step scale() { return Step{"scale", 1, "Scale", Stage::Trim, scale_::schema, scale_::compute}.under("change"); }

} // namespace lumsk::steps
