#pragma once
#include "exchange/journal.h"
#include "exchange/processes.h"
#include "exchange/project.h"

#include <chrono>
#include <mutex>
#include <set>

namespace lumsk::exchange {

/// Unsaved work of a process that has ended.
struct LostWork {
  std::string file;        ///< of the recovery
  std::string projectPath; ///< where the project was opened from or saved to; empty: nowhere yet
  std::chrono::system_clock::time_point time;
};

/// Keeps unsaved work of this process in a folder that is this person's alone: one file a window, written whole or not
/// at all, and beside it a journal of what changed since. Safe on any thread.
class Recovery {
public:
  explicit Recovery(std::string folder); ///< makes the folder when it is first needed
  /// Keeps the work, on the disk when this returns: appends what changed to the journal where that will do (no other files
  /// are imported, and it is short), else writes all. Fails as `writeProject` does.
  Expected<void> keep(const recipe::Recipe& r, const std::string& projectPath);
  void drop(); ///< it is saved, or given up
  /// What ended processes left, newest first.
  std::vector<LostWork> lost() const;
  /// Takes lost work over: nobody else is offered it then; it lives on as this process's own recovery.
  Expected<Project> take(const LostWork& w);
  void discard(const LostWork& w) const;

private:
  Expected<void> keepWhole(const recipe::Recipe& r, const std::string& projectPath);
  bool appendable(const recipe::Recipe& r, const std::string& projectPath) const;

  std::string folder_, file_;
  std::mutex mutex_; ///< of what follows
  Journal journal_;
  std::set<std::string> imports_; ///< hashes of what the file holds
  std::string projectPath_;
  int journals_ = 0;
};

} // namespace lumsk::exchange
