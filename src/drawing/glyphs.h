#pragma once
#include "base/tolerances.h"
#include "nurbs/core/path.h"

namespace lumsk::drawing {

struct TextOptions {
  double capitalHeightMm = 20;
  double spacingMm = 0; ///< added between letters
  double align = 0;     ///< where x = 0 is in the line: 0 left, 0.5 middle, 1 right
};

struct TextOutlines {
  std::vector<nurbs::Path> loops; ///< closed, in the plane z = 0, baseline at y = 0
  double widthMm = 0;
  std::string missing; ///< signs that the font does not have
};

/// Outlines of a line of text (UTF-8) in a font given by its bytes (OpenType, TrueType): lines stay lines, curves stay
/// exact splines of degree 2 or 3; the font's kerning counts. Fails with LM-P057 (the font cannot be read), LM-P058
/// (nothing to draw).
Expected<TextOutlines> textOutlines(const std::string& text, const std::string& font, const TextOptions& options,
                                    const Tolerances& tol);

/// Bytes of the font that ships with Lumsk.
const std::string& ownFont();

} // namespace lumsk::drawing
