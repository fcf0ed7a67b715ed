#pragma once
#include <cstdint>

namespace lumsk::brep {

// What keeps the worker to its job: foreign files can make the kernel's readers do anything.

/// Version of Landlock (Linux 5.13 and later) on this system: 0 where there is none, and a confined process could still
/// open this person's files.
int landlockVersion();

struct Confinement {
  std::uint64_t memoryBytes = 0; ///< of address space
  std::uint64_t seconds = 0;     ///< of processor time, all threads together
  int handles = 0;               ///< those from this one on are closed
};

/// From here on this process and its threads can open no file, make no socket and no process, change nothing on any disk
/// and gain no rights; what is open already stays so. Limits of memory and time hold, too. To be called before there is a
/// second thread. False where the system refuses any of it that it has.
bool confine(const Confinement& c);

} // namespace lumsk::brep
