#include "base/tolerances.h"

namespace lumsk {

namespace {
Expected<void> within(double v, double low, double high, Quantity asked, const char* name) {
  if (v >= low && v <= high) return {};
  return fail(problem("LM-R005", std::string("the tolerance '") + name + "' cannot be used")
                  .measure(asked)
                  .tryThis("take a value from " + formatNumber(low) + " to " + formatNumber(high)));
}
} // namespace

Expected<void> validate(const Tolerances& t) {
  LUMSK_CHECK(within(t.point.mm, 1e-6, 1.0, millimetres(t.point.mm), "point"));
  LUMSK_CHECK(within(t.fit.mm, 1e-6, 1.0, millimetres(t.fit.mm), "fit"));
  LUMSK_CHECK(within(t.angle.deg, 1e-5, 10.0, degrees(t.angle.deg), "angle"));
  LUMSK_CHECK(within(t.curvature.relative, 1e-5, 1.0, ratio(t.curvature.relative), "curvature"));
  return {};
}

} // namespace lumsk
