#include "nurbs/on_skin/ribbon.h"
#include "brep/curves_on.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace ribbon_ {

Schema schema() {
  return {
      picks("curve", "Curve", "The curve or edge, or a part of it, that the ribbon runs along.",
            Kind::Curve | Kind::Edge)
          .atMost(1),
      choice("way", "Way",
             "Where the ribbon goes from the curve: one direction; a plane's normal; at an angle to a skin.",
             {{"plane", "along a plane's normal"}, {"direction", "along a line"}, {"skin", "at an angle to a skin"}}),
      picks("plane", "Plane", "The plane whose normal counts; without one, the curve's own.", Kind::Plane)
          .optional()
          .atMost(1)
          .when("way", {"plane"}),
      picks("line", "Line", "A straight curve or edge that gives the direction.", Kind::Curve | Kind::Edge)
          .atMost(1)
          .when("way", {"direction"}),
      picks("skin", "Skin", "The skin or face that the curve lies on.", Kind::Skin | Kind::Solid | Kind::Face)
          .atMost(1)
          .when("way", {"skin"}),
      angle("angle", "Angle", "Away from the skin: 0 goes on in its tangent plane, 90 stands square on it.", "0")
          .within(-180, 180)
          .when("way", {"skin"}),
      length("width", "Width", "At the curve's start; negative to the other side.", "8").withHandle(Handle::Distance),
      length("endWidth", "End width", "At the curve's end; another one tapers it.", "8"),
      toggle("flip", "Turn about", "Goes to the other side of the curve.", false)};
}

using Direction = std::function<Vec3(const Vec3&, const Vec3&)>;

Expected<Direction> directionOf(const Inputs& in, const nurbs::Path& path, const std::vector<brep::BodyFaces>& skins,
                                const Context& cx) {
  const std::string way = in.text("way");
  if (way == "plane") {
    Vec3 n;
    if (!in.picked("plane").empty()) {
      n = in.plane("plane", {}).normal();
    } else {
      const auto fit = nurbs::fitPlane(nurbs::polyline(path, 16));
      if (!fit.unique || fit.deviationMm > 10 * cx.tolerances.point.mm)
        return fail(problem("LM-P074", "the curve has no plane of its own")
                        .measure(millimetres(fit.deviationMm))
                        .at(path.start())
                        .inField("plane")
                        .tryThis("pick a plane"));
      n = fit.frame.normal();
    }
    return Direction([n](const Vec3&, const Vec3&) { return n; });
  }
  if (way == "direction") {
    const nurbs::Path& line = *curveOf(in.picked("line").front());
    const Vec3 d = line.end() - line.start();
    if (!(d.norm() > cx.tolerances.point.mm))
      return fail(problem("LM-P074", "a closed curve gives no direction")
                      .at(line.start())
                      .inField("line")
                      .tryThis("pick a straight one"));
    return Direction([d = Vec3(d.normalized())](const Vec3&, const Vec3&) { return d; });
  }
  const double a = radFromDeg(in.number("angle"));
  const brep::BodyFaces* skin = &skins.front();
  if (const auto at = skin->nearest(path.at(0.5 * path.last())); !at)
    return fail(problem("LM-P074", "the curve does not lie over the skin")
                    .at(path.start())
                    .inField("skin")
                    .tryThis("pick the skin that it lies on"));
  return Direction([skin, a](const Vec3& p, const Vec3& t) {
    const auto at = skin->nearest(p);
    const Vec3 n = at ? at->normal : Vec3(Vec3::UnitZ());
    return Vec3(std::cos(a) * n.cross(t).normalized() + std::sin(a) * n);
  });
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& path = *curveOf(in.picked("curve").front());
  std::vector<brep::BodyFaces> skins;
  for (const Picked& p : in.picked("skin")) {
    LUMSK_TRY(f, brep::BodyFaces::of(*std::get<brep::BodyPtr>(p.object), p.kind == Kind::Face ? p.index : -1, cx));
    skins.push_back(std::move(f));
  }
  LUMSK_TRY(direction, directionOf(in, path, skins, cx));
  nurbs::RibbonOptions o;
  const double side = in.on("flip") ? -1 : 1;
  o.direction = direction;
  o.startWidthMm = side * in.number("width");
  o.endWidthMm = side * in.number("endWidth");
  auto made = nurbs::ribbonAlong(path, o, cx);
  if (!made) return fail(made.error().inField(made.error().code == "LM-P072" ? "way" : "width"));
  std::vector<brep::NamedSurface> faces;
  int controls = 0;
  const std::string item = in.picked("curve").front().item;
  for (size_t k = 0; k < made->strips.size(); ++k) {
    controls += made->strips[k].controlPoints();
    faces.push_back(
        {std::make_shared<const nurbs::Surface>(made->strips[k]),
         brep::faceName(in.stepId(), "skin", made->strips.size() > 1 ? "strip" + std::to_string(k + 1) : ""),
         false,
         {"left", "right", "start:" + item, "end"}});
  }
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  Outcome out;
  out.outputs.push_back({"", body, ""});
  nurbs::CurveDerivatives d;
  path.derivatives(0.0, 1, d);
  out.marks.add(HandlePlace{"width", d[0], side * direction(d[0], d[1].normalized()), 1.0});
  out.summary = format(millimetres(nurbs::figuresOf(path).lengthMm)) + " long - " + std::to_string(controls) +
                " points - within " + format(millimetres(made->deviationMm), 1);
  return out;
}

} // namespace ribbon_

Step ribbon() { return {"ribbon", 1, "Ribbon", Stage::Surfaces, ribbon_::schema, ribbon_::compute}; }

} // namespace lumsk::steps
