#include "nurbs/curves/shapes.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace arc_ {

Schema schema() {
  return {onPlaneField(),
          length("x", "Centre x", "Centre on the plane.", "0"),
          length("y", "Centre y", "Centre on the plane.", "0"),
          length("radius", "Radius", "Radius of the arc.", "30").within(0.001, 1e6).withHandle(Handle::Distance),
          angle("from", "From", "Where it starts, from the plane's first direction, counter-clockwise.", "0"),
          angle("to", "To", "Where it ends.", "90")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  Frame f = in.plane("plane", topPlane());
  f.origin = f.at(in.number("x"), in.number("y"));
  LUMSK_TRY(path, nurbs::arc(f, in.number("radius"), in.number("from"), in.number("to"), cx.tolerances.point));
  Outcome out = curveOutcome(path, "radius " + format(millimetres(in.number("radius"))));
  const double a = radFromDeg(in.number("from"));
  out.marks.add(HandlePlace{"radius", f.origin, std::cos(a) * f.x + std::sin(a) * f.y, 1.0});
  return out;
}

} // namespace arc_

Step arc() { return Step{"arc", 1, "Arc", Stage::Curves, arc_::schema, arc_::compute}.under("draw"); }

} // namespace lumsk::steps
