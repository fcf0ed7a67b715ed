#pragma once
#include <cstddef>
#include <functional>
#include <string>

namespace lumsk {

/// What goes over a wire at one time: a line of text, and bytes that may follow it. As sent: the number of bytes, a space, the line, its
/// end, and the bytes.
struct Message {
  std::string head; ///< one line without its end
  std::string body;
};

/// How sending or listening ended.
enum class Heard { Whole, Closed, TooMuch, Stopped };

/// One end of a conversation over a stream socket of this machine (`man 7 unix`). Closed on leaving.
class Wire {
public:
  Wire() = default;
  explicit Wire(int handle) : handle_(handle) {}
  Wire(Wire&& other) noexcept : handle_(other.handle_) { other.handle_ = -1; }
  Wire& operator=(Wire&& other) noexcept {
    std::swap(handle_, other.handle_);
    return *this;
  }
  ~Wire();

  /// To who listens at a path; not `open` when nobody does.
  static Wire to(const std::string& path);
  bool open() const { return handle_ >= 0; }

  /// Both ask every twentieth of a second whether to go on.
  Heard send(const Message& message, const std::function<bool()>& goOn);
  /// A message longer than `most` bytes is not taken, nor what is none.
  Heard receive(Message& message, std::size_t most, const std::function<bool()>& goOn);

private:
  Heard await(short events, const std::function<bool()>& goOn) const;
  int handle_ = -1;
};

/// Listens at a path, for this person's processes only. A socket that stood there goes (another file does not,
/// and it is not open then), and the path is removed on leaving.
class Listening {
public:
  explicit Listening(std::string path);
  Listening(const Listening&) = delete;
  Listening& operator=(const Listening&) = delete;
  ~Listening();
  bool open() const { return handle_ >= 0; }
  /// The next who calls, awaited for so long; not open: nobody did.
  Wire next(int milliseconds) const;

private:
  std::string path_;
  int handle_ = -1;
};

} // namespace lumsk
