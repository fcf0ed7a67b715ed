#pragma once
#include "base/problem.h"

#include <cstdint>
#include <functional>

namespace lumsk::exchange {

/// The whole file. Fails with LM-F020 when it cannot be read, LM-F021 above `most` bytes.
Expected<std::string> readFile(const std::string& path, std::uintmax_t most = std::uintmax_t(1) << 30);

/// What stood at a path at some moment; to notice that another program has written there since.
struct FileState {
  std::int64_t timeNs = 0; ///< when the system last touched it; -1: there was no such file
  std::uintmax_t size = 0;
  std::string digest;
};
FileState stateOf(const std::string& path);
/// Whether other bytes stand there than did. One that is gone has not changed: writing it again loses nothing.
bool changedSince(const std::string& path, const FileState& then);

struct Replacing {
  const FileState* last = nullptr; ///< the file as it was seen last; null: whatever is there now goes
  bool onlyOurs = false;           ///< nobody else may read a new file
};

/// Writes a file so that the old one stays whole until the new one is: `write` fills a temporary file in the same
/// folder, which is then synced and renamed. A link stays one (what it leads to is replaced), and an old file's
/// permissions are kept. Fails with LM-F022 (folder, disk or the file's own
/// protection does not let us write), or LM-F043 where another program has
/// changed the file since it was seen last; then nothing is written.
Expected<void> replaceFile(const std::string& path, const std::function<Expected<void>(const std::string& temporary)>& write,
                           const Replacing& how = {});
/// The same of bytes that are there already.
Expected<void> replaceFile(const std::string& path, const std::string& bytes);

/// Removes temporary files that processes left in a folder when they were killed.
void removeLeftovers(const std::string& folder);

/// LM-F022.
Problem cannotWrite(const std::string& path, const std::string& why = {});

/// ".step" of "a/b.STEP": lower case, with the dot.
std::string extensionOf(const std::string& path);

} // namespace lumsk::exchange
