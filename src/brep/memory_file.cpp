#include "brep/memory_file.h"

#include <algorithm>
#include <cerrno>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

namespace lumsk::brep {

MemoryFile::MemoryFile(const char* name) : handle_(::memfd_create(name, MFD_CLOEXEC)) {}

MemoryFile::~MemoryFile() {
  if (handle_ >= 0) ::close(handle_);
}

bool MemoryFile::write(const char* bytes, size_t size) { return handle_ >= 0 && writeTo(handle_, bytes, size); }

std::string MemoryFile::path() const { return "/proc/self/fd/" + std::to_string(handle_); }

bool writeTo(int handle, const char* bytes, size_t size) {
  constexpr size_t kAtOnce = size_t(1) << 30;
  while (size > 0) {
    const ssize_t n = ::write(handle, bytes, std::min(size, kAtOnce));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    bytes += n, size -= size_t(n);
  }
  return true;
}

std::string wholeOf(int handle) {
  struct stat s {};
  if (::fstat(handle, &s) != 0) return {};
  std::string out(size_t(s.st_size), '\0');
  for (size_t done = 0; done < out.size();) {
    const ssize_t n = ::pread(handle, out.data() + done, out.size() - done, off_t(done));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return {};
    done += size_t(n);
  }
  return out;
}

} // namespace lumsk::brep
