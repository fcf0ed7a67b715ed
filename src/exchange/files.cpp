#include "exchange/files.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <unistd.h>

namespace lumsk::exchange {

namespace fs = std::filesystem;

Problem cannotWrite(const std::string& path, const std::string& why) {
  return problem("LM-F022", "'" + fs::path(path).filename().string() + "' cannot be written" +
                                (why.empty() ? "" : " (" + why + ")"))
      .tryThis("choose another folder or make room on the disk");
}

namespace {

bool sync(const std::string& path, int flags) {
  const int fd = ::open(path.c_str(), flags);
  if (fd < 0) return false;
  const bool ok = ::fsync(fd) == 0;
  return (::close(fd) == 0) && ok;
}

} // namespace

Expected<std::string> readFile(const std::string& path, std::uintmax_t most) {
  std::error_code e;
  const auto size = fs::file_size(path, e);
  const std::string name = fs::path(path).filename().string();
  if (e || fs::is_directory(path))
    return fail(problem("LM-F020", "'" + name + "' cannot be read").tryThis("check that the file is there"));
  if (size > most)
    return fail(problem("LM-F021", "'" + name + "' is too large")
                    .tryThis("files up to " + std::to_string(most >> 20) + " MB can be read here"));
  std::ifstream in(path, std::ios::binary);
  std::string bytes(size, '\0');
  if (!in.read(bytes.data(), std::streamsize(size)))
    return fail(problem("LM-F020", "'" + name + "' cannot be read").tryThis("check that you may read it"));
  return bytes;
}

Expected<void> replaceFile(const std::string& path, const std::function<Expected<void>(const std::string&)>& write) {
  const fs::path target(path);
  // The ending stays, since some writers choose the format by it.
  const std::string temporary =
      (target.parent_path() /
       ("." + target.stem().string() + "." + std::to_string(::getpid()) + "~" + target.extension().string()))
          .string();
  std::error_code e;
  const auto give = [&](Problem p) {
    fs::remove(temporary, e);
    return fail(std::move(p));
  };
  if (auto done = write(temporary); !done) return give(std::move(done.error()));
  if (!sync(temporary, O_RDWR)) return give(cannotWrite(path, std::strerror(errno)));
  if (::rename(temporary.c_str(), path.c_str()) != 0) return give(cannotWrite(path, std::strerror(errno)));
  const std::string folder = target.parent_path().empty() ? "." : target.parent_path().string();
  sync(folder, O_RDONLY | O_DIRECTORY);
  return {};
}

std::string extensionOf(const std::string& path) {
  std::string e = fs::path(path).extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  return e;
}

} // namespace lumsk::exchange
