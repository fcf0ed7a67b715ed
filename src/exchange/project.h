#pragma once
#include "exchange/cache_file.h"
#include "exchange/files.h"

#include <optional>
#include <set>

namespace lumsk::exchange {

struct Project {
  recipe::Recipe recipe;
  std::string thumbnailPng; ///< may be empty
  Outcomes kept;            ///< results by key; what cannot be read back is left out
  std::string recovery;     ///< JSON about unsaved work; empty in projects
};

enum class Kept { Take, Leave }; ///< results that a file holds

constexpr std::uintmax_t kMostImported = std::uintmax_t(512) << 20; ///< bytes of all files that a project imports

/// Reads NAME.lumsk (a zip, docs/file-format.md) or a bare recipe.json. Fails with LM-F001 (not a zip or truncated),
/// LM-F00x as `recipe::fromText`, LM-F004 (an imported file is damaged), LM-F006 (more than a project may unpack to).
/// Kept results are taken only where this person's Lumsk wrote them (`Seal`).
/// A bare recipe finds the files it imports beside it, or in a folder `imports` there, by their names or hashes.
Expected<Project> readProject(const std::string& path, Kept kept = Kept::Take);

/// Hashes of those imported files that steps name: the others are not written.
std::set<std::string> usedImports(const recipe::Recipe& r);

/// Writes NAME.lumsk; the old file stays whole until the new one is complete. Fails as `replaceFile`.
Expected<void> writeProject(const std::string& path, const Project& project, const Replacing& how = {});

/// A lock beside a project that is open for editing. `take` returns the other editor's words if somebody has it.
class ProjectLock {
public:
  ~ProjectLock() { release(); }
  std::optional<std::string> take(const std::string& projectPath);
  void release();

private:
  std::string path_;
};

} // namespace lumsk::exchange
