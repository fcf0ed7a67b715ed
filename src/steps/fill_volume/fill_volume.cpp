#include "inspect/fill_volume.h"
#include "inspect/face_measure.h"
#include "nurbs/measure/closest.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace fill_volume_ {

Schema schema() {
  return {picks("body", "Vessel", "The solid or skin whose hollow is filled.", Kind::Solid | Kind::Skin).atMost(1),
          picks("upTo", "Up to", "An edge, point or level plane; without one, the highest place of the vessel.",
                Kind::Edge | Kind::Curve | Kind::Point | Kind::Plane)
              .optional()
              .atMost(1),
          length("below", "Below it", "How far below that the surface stands.", "0")
              .within(0, 1e5)
              .withHandle(Handle::Distance),
          measurementName("filling")};
}

/// z of the lowest place of what was picked, where the filling would run over.
Expected<double> levelOf(const Picked& p, const Tolerances& tol) {
  if (const auto* plane = std::get_if<PlaneObject>(&p.object)) {
    if (plane->frame.normal().head<2>().norm() > std::sin(radFromDeg(tol.angle.deg)))
      return fail(problem("LM-Q003", "this plane is not level").at(plane->frame.origin).tryThis("pick a level plane"));
    return plane->frame.origin.z();
  }
  if (const auto* point = std::get_if<PointObject>(&p.object)) return point->at.z();
  return nurbs::farthestAlong(*std::get<CurvePtr>(p.object), -Vec3::UnitZ()).point.z();
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& body = std::get<brep::BodyPtr>(in.picked("body").front().object);
  std::optional<double> brim;
  if (!in.picked("upTo").empty()) {
    auto level = levelOf(in.picked("upTo").front(), cx.tolerances);
    if (!level) return fail(level.error().inField("upTo"));
    brim = *level;
  }
  const double below = in.number("below");
  if (!brim && below > 0) brim = inspect::boxOf(*body).high.z();
  auto made = inspect::fillVolume(*body, brim ? std::optional(*brim - below) : std::nullopt, cx);
  if (!made) return fail(isCancelled(made.error()) ? made.error() : made.error().inField("body"));
  Outcome out;
  const Quantity volume{made->volumeMm3, Dimension::Volume};
  out.measured[in.text("name")] = volume;
  out.marks.add(HandlePlace{"below", made->surfaceAt + Vec3(0, 0, below), -Vec3::UnitZ(), 1.0});
  out.summary = in.text("name") + " = " + format(volume) + " - " + format(millimetres(made->depthMm)) + " deep";
  return out;
}

} // namespace fill_volume_

Step fill_volume() { return {"fill_volume", 1, "Fill volume", Stage::Check, fill_volume_::schema, fill_volume_::compute}; }

} // namespace lumsk::steps
