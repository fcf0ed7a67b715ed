#include "base/meets.h"

#include <algorithm>
#include <iterator>

namespace lumsk {

Meets meetsNamed(const std::string& word) {
  constexpr std::pair<const char*, Meets> kWords[] = {
      {"perpendicular", Meets::Perpendicular}, {"g0", Meets::G0},       {"g1", Meets::G1},    {"g2", Meets::G2},
      {"g3", Meets::G3},                       {"angle", Meets::Angle}, {"flat", Meets::Flat}};
  const auto known = std::find_if(std::begin(kWords), std::end(kWords), [&](const auto& w) { return word == w.first; });
  return known == std::end(kWords) ? Meets::Free : known->second;
}

} // namespace lumsk
