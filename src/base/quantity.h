#pragma once
#include <string>

namespace lumsk {

/// What a number measures. Values are kept in mm, mm2, mm3 and degrees; ratios and counts are plain.
enum class Dimension { Ratio, Count, Length, Angle, Area, Volume };

struct Quantity {
  double value = 0.0;
  Dimension dimension = Dimension::Ratio;

  friend bool operator==(const Quantity& a, const Quantity& b) {
    return a.value == b.value && a.dimension == b.dimension;
  }
};

inline Quantity millimetres(double v) { return {v, Dimension::Length}; }
inline Quantity degrees(double v) { return {v, Dimension::Angle}; }
inline Quantity ratio(double v) { return {v, Dimension::Ratio}; }
inline Quantity count(double v) { return {v, Dimension::Count}; }

/// "mm", "deg", "mm²", "mm³" or empty.
const char* unitName(Dimension d);
/// "length", "angle", ...: the word used in files and messages.
const char* dimensionName(Dimension d);

/// For people: at most `digits` significant digits, no trailing zeros, with the unit ("0.32 deg"); volumes in cm³.
std::string format(const Quantity& q, int digits = 4);
/// The number alone, as `format` writes it.
std::string formatNumber(double v, int digits = 4);

} // namespace lumsk
