#include "steps/placing.h"

#include "brep/skin.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

struct Extent {
  Vec3 low = Vec3::Constant(1e300), high = Vec3::Constant(-1e300);
  void take(const Vec3& p) { low = low.cwiseMin(p), high = high.cwiseMax(p); }
};

Extent extentOf(const Object& o) {
  Extent e;
  if (const auto* body = std::get_if<brep::BodyPtr>(&o)) {
    for (const Vec3& p : brep::boxCorners((*body)->shape)) e.take(p);
  } else if (const auto* curve = std::get_if<CurvePtr>(&o)) {
    const Points line = nurbs::polyline(**curve, 24);
    for (Eigen::Index i = 0; i < line.rows(); ++i) e.take(line.row(i).transpose());
  } else if (const auto* point = std::get_if<PointObject>(&o)) {
    e.take(point->at);
  } else if (const auto* plane = std::get_if<PlaneObject>(&o)) {
    e.take(plane->frame.origin);
  }
  return e;
}

} // namespace

Vec3 middleOf(const Object& o) {
  const Extent e = extentOf(o);
  return 0.5 * (e.low + e.high);
}

double sizeOf(const Object& o) {
  const Extent e = extentOf(o);
  return 0.5 * (e.high - e.low).norm();
}

Expected<Object> placed(const Object& o, const Eigen::Affine3d& t, const std::function<std::string(const std::string&)>& nameOf) {
  if (const auto* body = std::get_if<brep::BodyPtr>(&o)) {
    LUMSK_TRY(made, brep::placed(**body, t, nameOf));
    return Object(made);
  }
  if (const auto* curve = std::get_if<CurvePtr>(&o)) return Object(std::make_shared<const nurbs::Path>(nurbs::transformed(**curve, t)));
  if (const auto* point = std::get_if<PointObject>(&o)) return Object(PointObject{t * point->at});
  PlaneObject plane = std::get<PlaneObject>(o);
  const Vec3 x = t.linear() * plane.frame.x, y = t.linear() * plane.frame.y; // stays a frame under uneven scaling, too
  plane.frame.origin = t * plane.frame.origin;
  plane.frame.x = x.normalized();
  plane.frame.y = (y - y.dot(plane.frame.x) * plane.frame.x).normalized();
  return Object(plane);
}

Expected<void> putPlaced(Outcome& out, const std::vector<Picked>& picks, const Eigen::Affine3d& t, bool copy) {
  for (size_t i = 0; i < picks.size(); ++i) {
    LUMSK_TRY(made, placed(picks[i].object, t));
    const bool body = std::holds_alternative<brep::BodyPtr>(made);
    out.outputs.push_back({i == 0 ? "" : picks[i].item, std::move(made), body && !copy ? picks[i].objectId() : ""});
    if (!copy && picks[i].step != "world") out.usedUp.push_back(picks[i].objectId());
  }
  return {};
}

} // namespace lumsk::steps
