#include "base/quantity.h"

#include <cmath>

#include <fmt/format.h>

namespace lumsk {

const char* unitName(Dimension d) {
  switch (d) {
  case Dimension::Length: return "mm";
  case Dimension::Angle: return "deg";
  case Dimension::Area: return "mm²";
  case Dimension::Volume: return "mm³";
  default: return "";
  }
}

const char* dimensionName(Dimension d) {
  switch (d) {
  case Dimension::Ratio: return "ratio";
  case Dimension::Count: return "count";
  case Dimension::Length: return "length";
  case Dimension::Angle: return "angle";
  case Dimension::Area: return "area";
  case Dimension::Volume: return "volume";
  }
  return "";
}

namespace {
constexpr double kNothing = 1e-9; ///< what rounding leaves of a nought
}

std::string formatNumber(double v, int digits) {
  std::string s = fmt::format("{:.{}g}", std::abs(v) < kNothing ? 0.0 : v, digits);
  // Plain digits read better than an exponent wherever they fit.
  if (s.find('e') != std::string::npos && v > -1e9 && v < 1e9 && (v > 1e-6 || v < -1e-6))
    s = fmt::format("{:.{}f}", v, v >= 1 || v <= -1 ? 0 : 6);
  return s;
}

std::string format(const Quantity& q, int digits) {
  if (q.dimension == Dimension::Volume) return formatNumber(q.value / 1000, digits) + " cm³";
  const std::string unit = unitName(q.dimension);
  return unit.empty() ? formatNumber(q.value, digits) : formatNumber(q.value, digits) + " " + unit;
}

} // namespace lumsk
