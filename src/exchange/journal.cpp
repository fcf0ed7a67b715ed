#include "exchange/journal.h"

#include "exchange/files.h"
#include "recipe/recipe_json.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>
#include <xxhash.h>

namespace lumsk::exchange {

using nlohmann::json;

namespace {

constexpr size_t kSumSigns = 16; ///< and a space

std::string sumOf(const char* text, size_t size) { return fmt::format("{:016x}", XXH3_64bits(text, size)); }

bool writeAll(int fd, const std::string& bytes) {
  for (size_t done = 0; done < bytes.size();) {
    const ssize_t n = ::write(fd, bytes.data() + done, bytes.size() - done);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    done += size_t(n);
  }
  return true;
}

} // namespace

void Journal::close() {
  if (fd_ >= 0) ::close(fd_);
  fd_ = -1;
  bytes_ = 0;
}

Expected<void> Journal::begin(const std::string& file, json from) {
  close();
  ::unlink(file.c_str());
  fd_ = ::open(file.c_str(), O_CREAT | O_EXCL | O_WRONLY | O_APPEND | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (fd_ < 0) return fail(cannotWrite(file, std::strerror(errno)));
  file_ = file;
  last_ = std::move(from);
  return {};
}

Expected<void> Journal::append(json now) {
  const json patch = json::diff(last_, now);
  if (patch.empty()) return {};
  const std::string text = patch.dump(-1, ' ', false, json::error_handler_t::replace);
  const std::string line = sumOf(text.data(), text.size()) + " " + text + "\n";
  if (!writeAll(fd_, line) || ::fdatasync(fd_) != 0) {
    const std::string why = std::strerror(errno);
    if (::ftruncate(fd_, off_t(bytes_)) != 0) close(); // what follows a torn line would not be read
    return fail(cannotWrite(file_, why));
  }
  bytes_ += line.size();
  last_ = std::move(now);
  return {};
}

json Journal::replayed(const std::string& file, json from) {
  const auto text = readFile(file);
  if (!text) return from;
  for (size_t at = 0; at < text->size();) {
    const size_t end = text->find('\n', at);
    if (end == std::string::npos || end < at + kSumSigns + 1) break;
    const std::string line = text->substr(at + kSumSigns + 1, end - at - kSumSigns - 1);
    if (sumOf(line.data(), line.size()) != text->substr(at, kSumSigns)) break;
    const auto patch = recipe::parsedSafely(line);
    if (!patch) break;
    try {
      from = from.patch(*patch);
    } catch (const json::exception&) {
      break;
    }
    at = end + 1;
  }
  return from;
}

} // namespace lumsk::exchange
