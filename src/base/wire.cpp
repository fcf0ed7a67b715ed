#include "base/wire.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <optional>
#include <poll.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

namespace lumsk {

namespace {

constexpr int kSliceMs = 50;
constexpr std::size_t kMostHead = 1 << 20; ///< bytes of a line

/// Nothing for a path that is too long for an address.
std::optional<sockaddr_un> addressOf(const std::string& path) {
  sockaddr_un a{};
  a.sun_family = AF_UNIX;
  if (path.empty() || path.size() >= sizeof a.sun_path) return std::nullopt;
  std::memcpy(a.sun_path, path.c_str(), path.size());
  return a;
}

int newSocket() { return ::socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0); }

bool again() { return errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR; }

} // namespace

Wire::~Wire() {
  if (handle_ >= 0) ::close(handle_);
}

Wire Wire::to(const std::string& path) {
  const auto address = addressOf(path);
  if (!address) return {};
  Wire wire(newSocket());
  if (!wire.open() || ::connect(wire.handle_, reinterpret_cast<const sockaddr*>(&*address), sizeof *address) != 0) return {};
  return wire;
}

Heard Wire::await(short events, const std::function<bool()>& goOn) const {
  for (;;) {
    if (!goOn()) return Heard::Stopped;
    pollfd fd{handle_, events, 0};
    const int n = ::poll(&fd, 1, kSliceMs);
    if (n < 0 && errno != EINTR) return Heard::Closed;
    if (n > 0) return Heard::Whole; // closed ends show at the next read or write
  }
}

Heard Wire::send(const Message& message, const std::function<bool()>& goOn) {
  const std::string first = std::to_string(message.body.size()) + ' ' + message.head + '\n';
  for (const std::string* part : {&first, &message.body})
    for (std::size_t at = 0; at < part->size();) {
      const Heard ready = await(POLLOUT, goOn);
      if (ready != Heard::Whole) return ready;
      const auto n = ::send(handle_, part->data() + at, part->size() - at, MSG_NOSIGNAL);
      if (n > 0)
        at += std::size_t(n);
      else if (!again())
        return Heard::Closed;
    }
  return Heard::Whole;
}

Heard Wire::receive(Message& message, std::size_t most, const std::function<bool()>& goOn) {
  std::string got;
  std::size_t head = std::string::npos, bytes = 0;
  char buffer[1 << 16];
  while (head == std::string::npos || got.size() < head + bytes) {
    const Heard ready = await(POLLIN, goOn);
    if (ready != Heard::Whole) return ready;
    // Nothing of the message after this one is taken.
    const std::size_t wanted = head == std::string::npos ? 1 : std::min(sizeof buffer, head + bytes - got.size());
    const auto n = ::recv(handle_, buffer, wanted, 0);
    if (n < 0 && again()) continue;
    if (n <= 0) return Heard::Closed;
    got.append(buffer, std::size_t(n));
    if (head != std::string::npos || got.back() != '\n') {
      if (head == std::string::npos && got.size() > kMostHead) return Heard::TooMuch;
      continue;
    }
    char* end = nullptr;
    bytes = got[0] >= '0' && got[0] <= '9' ? std::strtoull(got.c_str(), &end, 10) : most + 1;
    if (!end || *end != ' ' || bytes > most) return Heard::TooMuch;
    head = got.size();
    message.head.assign(end + 1, got.size() - std::size_t(end + 1 - got.c_str()) - 1);
  }
  message.body = got.substr(head);
  return Heard::Whole;
}

Listening::Listening(std::string path) : path_(std::move(path)) {
  const auto address = addressOf(path_);
  if (!address) return;
  handle_ = newSocket();
  struct stat there;
  if (::lstat(path_.c_str(), &there) == 0 && S_ISSOCK(there.st_mode)) ::unlink(path_.c_str());
  const mode_t before = ::umask(0177);
  const bool bound = handle_ >= 0 && ::bind(handle_, reinterpret_cast<const sockaddr*>(&*address), sizeof *address) == 0 && ::listen(handle_, 8) == 0;
  ::umask(before);
  if (bound) return;
  if (handle_ >= 0) ::close(handle_);
  handle_ = -1;
}

Listening::~Listening() {
  if (handle_ < 0) return;
  ::close(handle_);
  ::unlink(path_.c_str());
}

Wire Listening::next(int milliseconds) const {
  pollfd fd{handle_, POLLIN, 0};
  if (::poll(&fd, 1, milliseconds) <= 0) return {};
  return Wire(::accept4(handle_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK));
}

} // namespace lumsk
