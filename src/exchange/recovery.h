#pragma once
#include "exchange/project.h"

#include <chrono>

namespace lumsk::exchange {

/// A process of some machine, as lock and recovery files name it: "host pid start".
std::string thisProcess();
/// Whether it still runs: always for other machines, where nobody can tell.
bool processLives(const std::string& words);

/// Unsaved work of a process that has ended.
struct LostWork {
  std::string file;        ///< of the recovery
  std::string projectPath; ///< where the project was opened from or saved to; empty: nowhere yet
  std::chrono::system_clock::time_point time;
};

/// Keeps unsaved work of this process in a folder: one file a window, written whole or not at all.
class Recovery {
public:
  explicit Recovery(std::string folder); ///< makes the folder when it is first needed
  /// Writes the work; safe on any thread, one call at a time. Fails as `writeProject` does.
  Expected<void> keep(const recipe::Recipe& r, const std::string& projectPath) const;
  void drop() const; ///< it is saved, or given up
  /// What ended processes left, newest first.
  std::vector<LostWork> lost() const;
  /// Takes lost work over: nobody else is offered it then; it lives on as this process's own recovery.
  Expected<Project> take(const LostWork& w) const;
  void discard(const LostWork& w) const;

private:
  std::string folder_, file_;
};

} // namespace lumsk::exchange
