#pragma once
#include "base/problem.h"

#include <memory>

namespace lumsk::recipe {

/// A picture's pixels: rows from the top, four bytes each (red, green, blue, opacity).
struct Image {
  int width = 0, height = 0;
  std::vector<unsigned char> rgba;
};

/// A PNG, JPEG, BMP, TGA or GIF from its bytes, made smaller until its longer side has at most `most` pixels.
/// Fails with LM-I010 (no picture, or broken) or LM-I011 (more than 200 million pixels).
Expected<Image> readImage(const std::string& bytes, const std::string& name, int most = 2048);

} // namespace lumsk::recipe
