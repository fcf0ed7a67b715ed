#include "steps/directions.h"

namespace lumsk::steps {

using namespace recipe;

Expected<PickedLine> lineOf(const Inputs& in, const std::string& key, const Tolerances& tol) {
  const auto& picked = in.picked(key);
  if (picked.empty()) return PickedLine();
  if (const auto* plane = std::get_if<PlaneObject>(&picked.front().object))
    return PickedLine{plane->frame.origin, plane->frame.normal()};
  const nurbs::Path& p = *curveOf(picked.front());
  if (const auto* ellipse = p.segments().size() == 1 ? std::get_if<nurbs::EllipseArc>(&p.segments().front()) : nullptr)
    return PickedLine{ellipse->centre, ellipse->u.cross(ellipse->v).normalized()};
  const Vec3 d = p.end() - p.start();
  if (!(d.norm() > tol.point.mm))
    return fail(problem("LM-X007", "a closed curve gives no direction").at(p.start()).inField(key).tryThis("pick a straight one, or a circle"));
  return PickedLine{p.start(), d.normalized()};
}

} // namespace lumsk::steps
