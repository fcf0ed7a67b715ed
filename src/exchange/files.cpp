#include "exchange/files.h"

#include "exchange/processes.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>
#include <xxhash.h>

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

namespace {

/// The file that a chain of links leads to, which need not be there.
fs::path behindLinks(fs::path p) {
  constexpr int kMostLinks = 40; // as the system follows
  std::error_code e;
  for (int i = 0; i < kMostLinks && fs::is_symlink(fs::symlink_status(p, e)); ++i) {
    const fs::path to = fs::read_symlink(p, e);
    p = to.is_absolute() ? to : p.parent_path() / to;
  }
  return p;
}

/// An empty file that nobody else has made, with the permissions and owner of the one it is to replace.
bool makeTemporary(const std::string& path, const struct stat* old, bool onlyOurs) {
  ::unlink(path.c_str()); // of a process that had our number
  const int fd = ::open(path.c_str(), O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC | O_WRONLY, old || onlyOurs ? 0600 : 0666);
  if (fd < 0) return false;
  bool ok = true;
  if (old) {
    if (old->st_uid != ::geteuid() || old->st_gid != ::getegid())
      if (::fchown(fd, old->st_uid, old->st_gid) != 0) errno = 0; // whose it is then is ours
    ok = ::fchmod(fd, old->st_mode & 07777) == 0;
  }
  return ::close(fd) == 0 && ok;
}

std::string digestOf(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  XXH3_state_t* state = XXH3_createState();
  XXH3_128bits_reset(state);
  std::vector<char> buffer(1 << 20);
  while (in.read(buffer.data(), std::streamsize(buffer.size())), in.gcount() > 0)
    XXH3_128bits_update(state, buffer.data(), size_t(in.gcount()));
  const XXH128_hash_t h = XXH3_128bits_digest(state);
  XXH3_freeState(state);
  return fmt::format("{:016x}{:016x}", h.high64, h.low64);
}

FileState withoutDigest(const std::string& path) {
  struct stat s {};
  if (::stat(path.c_str(), &s) != 0 || !S_ISREG(s.st_mode)) return {-1, 0, ""};
  // When the system last touched it, which nobody can set: a copy may bring its own time of change along.
  return {std::int64_t(s.st_ctim.tv_sec) * 1'000'000'000 + s.st_ctim.tv_nsec, std::uintmax_t(s.st_size), ""};
}

} // namespace

FileState stateOf(const std::string& path) {
  FileState out = withoutDigest(path);
  if (out.timeNs >= 0) out.digest = digestOf(path);
  return out;
}

bool changedSince(const std::string& path, const FileState& then) {
  const FileState now = withoutDigest(path);
  if (now.timeNs < 0 || (now.timeNs == then.timeNs && now.size == then.size)) return false;
  return then.timeNs < 0 || digestOf(path) != then.digest; // copied back or touched it is the same
}

Expected<void> replaceFile(const std::string& path, const std::function<Expected<void>(const std::string&)>& write,
                           const Replacing& how) {
  const fs::path target = behindLinks(path);
  // The ending stays, since some writers choose the format by it.
  const std::string temporary =
      (target.parent_path() / ("." + target.stem().string() + "." + processTag() + target.extension().string())).string();
  const std::string folder = target.parent_path().empty() ? "." : target.parent_path().string();
  removeLeftovers(folder);
  struct stat old {};
  const bool replaces = ::stat(target.c_str(), &old) == 0;
  std::error_code e;
  const auto give = [&](Problem p) {
    fs::remove(temporary, e);
    return fail(std::move(p));
  };
  if (replaces && !S_ISREG(old.st_mode)) return fail(cannotWrite(path, "it is no file"));
  if (replaces && ::faccessat(AT_FDCWD, target.c_str(), W_OK, AT_EACCESS) != 0) return fail(cannotWrite(path, "it is write-protected"));
  if (!makeTemporary(temporary, replaces ? &old : nullptr, how.onlyOurs)) return give(cannotWrite(path, std::strerror(errno)));
  struct stat made {};
  if (::stat(temporary.c_str(), &made) != 0) return give(cannotWrite(path, std::strerror(errno)));
  if (auto done = write(temporary); !done) return give(std::move(done.error()));
  // Writers may have put another file in its place.
  if (::chmod(temporary.c_str(), made.st_mode & 07777) != 0 || !sync(temporary, O_RDWR | O_NOFOLLOW))
    return give(cannotWrite(path, std::strerror(errno)));
  if (how.last && changedSince(path, *how.last))
    return give(problem("LM-F043", "'" + fs::path(path).filename().string() + "' was changed by another program since it was opened")
                    .tryThis("save under another name, open theirs, or write over it"));
  if (::rename(temporary.c_str(), target.c_str()) != 0) return give(cannotWrite(path, std::strerror(errno)));
  sync(folder, O_RDONLY | O_DIRECTORY);
  return {};
}

Expected<void> replaceFile(const std::string& path, const std::string& bytes) {
  return replaceFile(path, [&](const std::string& temporary) -> Expected<void> {
    std::ofstream out(temporary, std::ios::binary);
    if (!out.write(bytes.data(), std::streamsize(bytes.size())).flush()) return fail(cannotWrite(path, "the folder or disk refuses"));
    return {};
  });
}

void removeLeftovers(const std::string& folder) {
  std::error_code e;
  for (fs::directory_iterator it(folder, e), end; !e && it != end; it.increment(e)) {
    const std::string name = it->path().filename().string();
    std::error_code ignored;
    if (!name.empty() && name[0] == '.' && isLeftover(name)) fs::remove(it->path(), ignored);
  }
}

std::string extensionOf(const std::string& path) {
  std::string e = fs::path(path).extension().string();
  std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  return e;
}

} // namespace lumsk::exchange
