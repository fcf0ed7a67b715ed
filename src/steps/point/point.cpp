#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace point_ {

Schema schema() {
  return {onPlaneField(), length("x", "x", "Along the plane's first direction.", "0"),
          length("y", "y", "Along its second direction.", "0"), length("z", "z", "Along its normal.", "0")};
}

Expected<Outcome> compute(const Inputs& in, const Context&) {
  Outcome out;
  const Vec3 p = in.plane("plane", topPlane()).at(in.number("x"), in.number("y"), in.number("z"));
  out.outputs.push_back({"", PointObject{p}, ""});
  out.summary = "at " + formatNumber(p.x()) + ", " + formatNumber(p.y()) + ", " + formatNumber(p.z());
  return out;
}

} // namespace point_

Step point() { return Step{"point", 1, "Point", Stage::Curves, point_::schema, point_::compute}.under("place"); }

} // namespace lumsk::steps
