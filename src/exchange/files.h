#pragma once
#include "base/problem.h"

#include <cstdint>
#include <functional>

namespace lumsk::exchange {

/// The whole file. Fails with LM-F020 when it cannot be read, LM-F021 above `most` bytes.
Expected<std::string> readFile(const std::string& path, std::uintmax_t most = std::uintmax_t(1) << 30);

/// Writes a file so that the old one stays whole until the new one is: `write` fills a temporary file in the same
/// folder, which is then synced and renamed. Fails with LM-F022 (folder or disk does not let us write).
Expected<void> replaceFile(const std::string& path,
                           const std::function<Expected<void>(const std::string& temporary)>& write);

/// LM-F022.
Problem cannotWrite(const std::string& path, const std::string& why = {});

/// ".step" of "a/b.STEP": lower case, with the dot.
std::string extensionOf(const std::string& path);

} // namespace lumsk::exchange
