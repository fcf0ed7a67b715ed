#include "steps/directions.h"

#include "brep/apart.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "inspect/circle.h"
#include "inspect/measure.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Expected<PickedLine> ofFace(const Picked& pick, const std::string& key, const Tolerances& tol) {
  if (const auto plane = brep::planeOf(*pick.body, pick.index, tol.point)) {
    LUMSK_TRY(middle, inspect::centreOf(*brep::facesApart(*pick.body, {pick.index}, false).front()));
    return PickedLine{middle, plane->normal()};
  }
  if (const auto round = inspect::axisOf(*pick.body, pick.index, tol)) return PickedLine{round->centre, round->axis};
  return fail(problem("LM-X007", "this face is neither flat nor round about an axis").at(brep::signatureOf(*pick.body, brep::PartKind::Face, pick.index).middle).inField(key).tryThis("pick a flat or a round one, a straight edge, or a circle"));
}

} // namespace

Expected<PickedLine> lineOf(const Picked& pick, const std::string& key, const Tolerances& tol) {
  if (const auto* plane = std::get_if<PlaneObject>(&pick.object)) return PickedLine{plane->frame.origin, plane->frame.normal()};
  if (pick.kind == Kind::Face) return ofFace(pick, key, tol);
  const nurbs::Path& p = *curveOf(pick);
  if (const auto* ellipse = p.segments().size() == 1 ? std::get_if<nurbs::EllipseArc>(&p.segments().front()) : nullptr)
    return PickedLine{ellipse->centre, ellipse->u.cross(ellipse->v).normalized()};
  if (const auto circle = inspect::circleOf(p, tol)) return PickedLine{circle->centre, circle->axis};
  const Vec3 d = p.end() - p.start();
  if (!(d.norm() > tol.point.mm))
    return fail(problem("LM-X007", "a closed curve gives no direction").at(p.start()).inField(key).tryThis("pick a straight one, or a circle"));
  return PickedLine{p.start(), d.normalized()};
}

Expected<PickedLine> lineOf(const Inputs& in, const std::string& key, const Tolerances& tol, const PickedLine& otherwise) {
  const auto& picked = in.picked(key);
  return picked.empty() ? Expected<PickedLine>(otherwise) : lineOf(picked.front(), key, tol);
}

std::vector<Option> axisOptions(std::string upwards) {
  return {{"z", std::move(upwards)}, {"-z", "-z"}, {"x", "x"}, {"-x", "-x"}, {"y", "y"}, {"-y", "-y"}, {"picked", "as picked"}};
}

Expected<Vec3> axisIn(const Inputs& in, const std::string& key, const std::string& picksKey, const Tolerances& tol) {
  const std::string axis = in.text(key);
  if (axis != "picked") return Vec3((axis[0] == '-' ? -1 : 1) * Vec3::Unit(axis.back() - 'x'));
  if (in.picked(picksKey).empty()) return fail(problem("LM-X010", "nothing is picked that says the direction").inField(picksKey).isMissing().tryThis("pick a plane or something straight"));
  LUMSK_TRY(line, lineOf(in, picksKey, tol));
  return line.direction;
}

std::string directionWords(const Vec3& d) {
  for (int k = 0; k < 3; ++k)
    if (std::abs(std::abs(d[k]) - 1) < 1e-9) return std::string(d[k] < 0 ? "-" : "") + "xyz"[k];
  return formatNumber(d.x(), 3) + ", " + formatNumber(d.y(), 3) + ", " + formatNumber(d.z(), 3);
}

} // namespace lumsk::steps
