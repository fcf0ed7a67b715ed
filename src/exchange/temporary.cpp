#include "exchange/temporary.h"

#include <cstdlib>
#include <filesystem>

namespace lumsk::exchange {

TemporaryFolder::TemporaryFolder() {
  std::error_code e;
  std::string name = (std::filesystem::temp_directory_path(e) / "lumsk-XXXXXX").string();
  if (::mkdtemp(name.data())) path_ = name;
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code e;
  if (!path_.empty()) std::filesystem::remove_all(path_, e);
}

} // namespace lumsk::exchange
