#include "base/program.h"

#include <filesystem>
#include <unistd.h>

namespace lumsk {

std::string programBeside(const std::string& name) {
  namespace fs = std::filesystem;
  std::error_code e;
  const fs::path here = fs::read_symlink("/proc/self/exe", e).parent_path();
  for (const fs::path& p : {here / name, here.parent_path() / name, here.parent_path() / "libexec/lumsk" / name})
    if (::access(p.c_str(), X_OK) == 0) return p;
  return {};
}

} // namespace lumsk
