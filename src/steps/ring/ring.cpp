#include "nurbs/curves/shapes.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace ring_ {

Schema schema() {
  return {
      onPlaneField(),
      choice("shape", "Shape", "Form of the ring.",
             {{"circle", "circle"},
              {"ellipse", "ellipse"},
              {"superellipse", "superellipse"},
              {"rectangle", "rectangle"},
              {"slot", "slot"},
              {"polygon", "polygon"}}),
      length("width", "Width", "Size along the plane's first direction; the diameter of circles and polygons.", "60")
          .within(0.001, 1e6)
          .ofPlaceSize(0.25)
          .withHandle(Handle::Distance),
      length("depth", "Depth", "Size along the second direction.", "40")
          .within(0.001, 1e6)
          .ofPlaceSize(0.2)
          .when("shape", {"ellipse", "superellipse", "rectangle", "slot"})
          .withHandle(Handle::Distance),
      ratioField("exponent", "Exponent", "Fullness: 2 is an ellipse, larger is squarer.", "2.5")
          .within(2.05, 20)
          .when("shape", {"superellipse"}),
      countField("sides", "Sides", "Number of sides.", "6").within(3, 64).when("shape", {"polygon"}),
      length("radius", "Corner radius", "Radius of the corners; 0 leaves them sharp.", "8")
          .within(0, 1e6)
          .ofPlaceSize(0.03)
          .when("shape", {"rectangle", "polygon"}),
      length("x", "Centre x", "Centre on the plane.", "0"),
      length("y", "Centre y", "Centre on the plane.", "0"),
      length("height", "Height", "Centre above the plane.", "0").withHandle(Handle::Distance),
      angle("turn", "Turn", "Turns the ring about its centre.", "0")};
}

Expected<nurbs::Path> shapeOf(const Inputs& in, const Frame& f, const Context& cx) {
  const std::string shape = in.text("shape");
  const double w = in.number("width");
  if (shape == "circle") return nurbs::circle(f, w);
  if (shape == "polygon") return nurbs::polygon(f, w, in.integer("sides"), in.number("radius"), cx.tolerances.point);
  const double d = in.number("depth");
  if (shape == "ellipse") return nurbs::ellipse(f, w, d, cx.tolerances.point);
  if (shape == "slot") return nurbs::roundedRectangle(f, w, d, 0.5 * std::min(w, d), cx.tolerances.point);
  if (shape == "rectangle") return nurbs::roundedRectangle(f, w, d, in.number("radius"), cx.tolerances.point);
  return nurbs::superellipse(f, w, d, in.number("exponent"), cx.tolerances);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Frame plane = in.plane("plane", topPlane());
  const double a = radFromDeg(in.number("turn"));
  Frame f;
  f.origin = plane.at(in.number("x"), in.number("y"), in.number("height"));
  f.x = std::cos(a) * plane.x + std::sin(a) * plane.y;
  f.y = plane.normal().cross(f.x);
  LUMSK_TRY(path, shapeOf(in, f, cx));
  const bool round = in.text("shape") == "circle" || in.text("shape") == "polygon";
  Outcome out = curveOutcome(path, in.text("shape") + (round ? " Ø " + format(millimetres(in.number("width")))
                                                             : " " + formatNumber(in.number("width")) + " x " +
                                                                   format(millimetres(in.number("depth")))));
  out.marks.add(HandlePlace{"width", f.origin, f.x, 0.5});
  if (!round) out.marks.add(HandlePlace{"depth", f.origin, f.y, 0.5});
  out.marks.add(HandlePlace{"height", plane.at(in.number("x"), in.number("y")), plane.normal(), 1.0});
  return out;
}

} // namespace ring_

Step ring() { return Step{"ring", 1, "Ring", Stage::Curves, ring_::schema, ring_::compute}.under("draw"); }

} // namespace lumsk::steps
