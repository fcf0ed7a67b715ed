#pragma once
#include <string>

namespace lumsk::exchange {

/// A folder that is there for as long as this lives, for this person alone. Its path is empty where none can be made.
class TemporaryFolder {
public:
  TemporaryFolder();
  ~TemporaryFolder();
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  const std::string& path() const { return path_; }

private:
  std::string path_;
};

} // namespace lumsk::exchange
