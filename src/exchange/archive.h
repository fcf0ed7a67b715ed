#pragma once
#include "base/problem.h"

#include <zip.h>

namespace lumsk::exchange {

/// A zip archive, closed on leaving; changes are dropped unless it was closed before.
struct Archive {
  zip_t* zip = nullptr;
  ~Archive() {
    if (zip) zip_discard(zip);
  }
};

/// Adds or replaces an entry whose bytes outlive the archive. Its number; fails with LM-F022.
Expected<zip_uint64_t> addEntry(const Archive& to, const std::string& name, const std::string& bytes, bool packed = true);

/// The entries of an archive in memory, packed anew: what the 3MF library writes has fields of 64 bits where there is no need, and local heads
/// that do not tell the same as the table at the end, which several readers refuse. Nothing when it is no archive.
std::optional<std::string> packedAnew(const std::string& bytes);

} // namespace lumsk::exchange
