#pragma once
#include <string>

namespace lumsk::brep {

/// A file without a place on the disk (memfd_create(2)): it goes with the last process that holds it, however that ends.
class MemoryFile {
public:
  explicit MemoryFile(const char* name);
  MemoryFile(const MemoryFile&) = delete;
  MemoryFile& operator=(const MemoryFile&) = delete;
  ~MemoryFile();

  int handle() const { return handle_; } ///< -1: there is no memory for it
  bool write(const char* bytes, size_t size);
  std::string path() const; ///< for readers of this process that take no stream

private:
  int handle_;
};

bool writeTo(int handle, const char* bytes, size_t size);
std::string wholeOf(int handle); ///< from its start; empty where it cannot be read

} // namespace lumsk::brep
