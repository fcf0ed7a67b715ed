#include "base/text.h"

namespace lumsk {

std::string oneLine(std::string text) {
  const auto byte = [&](size_t i) { return i < text.size() ? static_cast<unsigned char>(text[i]) : 0u; };
  std::string out;
  out.reserve(text.size());
  for (size_t i = 0; i < text.size(); ++i) {
    const unsigned a = byte(i), b = byte(i + 1), c = byte(i + 2);
    const bool turns = a == 0xe2 && ((b == 0x80 && ((c >= 0xaa && c <= 0xae) || c == 0x8e || c == 0x8f || c == 0xa8 || c == 0xa9)) || (b == 0x81 && c >= 0xa6 && c <= 0xa9));
    const bool second = a == 0xc2 && b >= 0x80 && b <= 0x9f; // control characters beyond ASCII
    if (turns || second) i += turns ? 2 : 1;
    out += turns || second || a < 0x20 || a == 0x7f ? ' ' : text[i];
  }
  return out;
}

} // namespace lumsk
