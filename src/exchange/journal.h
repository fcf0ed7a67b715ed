#pragma once
#include "base/problem.h"

#include <nlohmann/json.hpp>

namespace lumsk::exchange {

/// How a JSON value changes, a line at a time: each a JSON Patch (RFC 6902) behind its checksum, synced before `append`
/// returns, so that what a crash cuts off is noticed and nothing before it is lost. Not for several threads at once.
class Journal {
public:
  Journal() = default;
  Journal(const Journal&) = delete;
  Journal& operator=(const Journal&) = delete;
  ~Journal() { close(); }

  /// A new, empty file for changes from that value on; the one before is left where it is.
  Expected<void> begin(const std::string& file, nlohmann::json from);
  bool begun() const { return fd_ >= 0; }
  /// Fails with LM-F022; a line that could not be written whole is taken back.
  Expected<void> append(nlohmann::json now);
  size_t bytes() const { return bytes_; }
  void close();

  /// The value after all lines of a file that are whole and apply.
  static nlohmann::json replayed(const std::string& file, nlohmann::json from);

private:
  int fd_ = -1;
  size_t bytes_ = 0;
  std::string file_;
  nlohmann::json last_;
};

} // namespace lumsk::exchange
