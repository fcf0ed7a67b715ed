#pragma once
#include <random>
#include <string>
#include <vector>

namespace lumsk::test {

using Rng = std::mt19937_64;
inline size_t below(Rng& rng, size_t n) { return n ? size_t(rng() % n) : 0; }
template <class T> const T& any(Rng& rng, const std::vector<T>& list) { return list[below(rng, list.size())]; }

struct Sample {
  std::string name, bytes;
};

/// A file whose structure is sound and whose content is hostile, of one of the kinds that are read: made from one of the
/// samples by the grammar of its format, or from nothing.
Sample hostileFile(const std::vector<Sample>& samples, Rng& rng);

} // namespace lumsk::test
