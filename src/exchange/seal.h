#pragma once
#include <string>

namespace lumsk::exchange {

/// Says whether bytes were written by this person's own Lumsk: a keyed digest (HMAC-SHA-256; Bellare, Canetti &
/// Krawczyk 1996) with a secret that is made at first use and kept where nobody else may read.
class Seal {
public:
  /// The one of this person, in `$XDG_DATA_HOME/lumsk/seal.key`. Where that can be neither read nor written it holds for
  /// this run alone.
  static const Seal& own();
  explicit Seal(const std::string& file);

  std::string of(const std::string& name, const std::string& bytes) const; ///< `kLength` bytes, for these under this name
  bool holds(const std::string& name, const std::string& bytes, const std::string& seal) const;
  static constexpr size_t kLength = 32;

private:
  std::string secret_;
};

} // namespace lumsk::exchange
