#include "steps/directions.h"

namespace lumsk::steps {

using namespace recipe;

namespace axis_ {

Schema schema() {
  return {picks("from", "From",
                "One of: a straight line or edge, a circle or a round face, a plane or flat face on whose normal it stands. Or two: planes "
                "or flat faces that cross, points it goes through, a point and what gives its direction.",
                kLine | Kind::Point)
              .atLeast(1)
              .atMost(2),
          toggle("flip", "Turn over", "The axis runs the other way.", false),
          length("length", "Length", "How long it is drawn, evenly about its middle.", "100").within(0.01, 1e6)};
}

const Vec3* pointOf(const Picked& p) {
  const auto* point = std::get_if<PointObject>(&p.object);
  return point ? &point->at : nullptr;
}

bool flat(const Picked& p) { return p.kind == Kind::Plane || p.kind == Kind::Face; }

Unexpected cannot(const char* what, const Vec3& at, const char* remedy) {
  return fail(problem("LM-X009", what).at(at).inField("from").tryThis(remedy));
}

/// The line that two planes have in common, at its place nearest to the middle between them.
Expected<PickedLine> crossing(const PickedLine& a, const PickedLine& b, const Tolerances& tol) {
  const Vec3 line = a.direction.cross(b.direction);
  if (degFromRad(std::asin(std::min(1.0, line.norm()))) <= tol.angle.deg)
    return cannot("the two planes are parallel: they have no line in common", 0.5 * (a.at + b.at), "pick planes that cross, or a line");
  Eigen::Matrix3d A;
  A << a.direction.transpose(), b.direction.transpose(), line.normalized().transpose();
  const Vec3 middle = 0.5 * (a.at + b.at);
  return PickedLine{A.inverse() * Vec3(a.direction.dot(a.at), b.direction.dot(b.at), line.normalized().dot(middle)), line.normalized()};
}

Expected<PickedLine> fromTwo(const std::vector<Picked>& p, const Tolerances& tol) {
  const Vec3 *one = pointOf(p[0]), *other = pointOf(p[1]);
  if (one && other) {
    const Vec3 d = *other - *one;
    if (!(d.norm() > tol.point.mm)) return cannot("the two points are one", *one, "pick two that are apart");
    return PickedLine{0.5 * (*one + *other), d.normalized()};
  }
  if (one || other) {
    LUMSK_TRY(line, lineOf(p[one ? 1 : 0], "from", tol));
    return PickedLine{one ? *one : *other, line.direction};
  }
  LUMSK_TRY(a, lineOf(p[0], "from", tol));
  LUMSK_TRY(b, lineOf(p[1], "from", tol));
  if (!flat(p[0]) || !flat(p[1])) return cannot("a line needs no second one", b.at, "take one of them out, or pick a point besides");
  return crossing(a, b, tol);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& picked = in.picked("from");
  if (picked.size() == 1 && pointOf(picked[0])) return cannot("one point makes no axis", *pointOf(picked[0]), "pick another point, or what gives the direction");
  auto line = picked.size() == 1 ? lineOf(picked[0], "from", cx.tolerances) : fromTwo(picked, cx.tolerances);
  if (!line) return fail(line.error());
  const Vec3 half = 0.5 * in.number("length") * (in.on("flip") ? -1.0 : 1.0) * line->direction;
  LUMSK_TRY(path, nurbs::Path::make({nurbs::LineSegment{line->at - half, line->at + half}}, cx.tolerances.point));
  const Vec3 d = half.normalized();
  return curveOutcome(std::move(path), "along " + formatNumber(d.x(), 3) + ", " + formatNumber(d.y(), 3) + ", " + formatNumber(d.z(), 3));
}

} // namespace axis_

Step axis() { return Step{"axis", 1, "Axis", Stage::Curves, axis_::schema, axis_::compute}.under("place"); }

} // namespace lumsk::steps
