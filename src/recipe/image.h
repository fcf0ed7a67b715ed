#pragma once
#include "base/problem.h"

#include <memory>

namespace lumsk::recipe {

/// A picture's pixels: rows from the top, four bytes each (red, green, blue, opacity).
struct Image {
  int width = 0, height = 0;
  std::vector<unsigned char> rgba;
};

/// A PNG, JPEG, BMP, TGA or GIF from its bytes, made smaller by a whole number until its longer side
/// has at most `most` pixels (8192 of them in any case).
/// Its size is looked at before there is memory for it, and large PNG and JPEG are read row by row. Fails with LM-I010 (no
/// picture, broken or cut off) or LM-I011 (more than 400 million pixels; of other kinds 67 million).
Expected<Image> readImage(const std::string& bytes, const std::string& name, int most = 2048);

} // namespace lumsk::recipe
