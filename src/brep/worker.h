#pragma once
#include "base/context.h"

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <vector>

namespace lumsk::brep {

// Calls into the geometry kernel that cannot be bounded within this process (reading foreign files, fillets, doubtful
// booleans) run in a child process, `lumsk-worker`, which is killed on cancel or at its limits.

struct WorkerLimits {
  double seconds = 180.0;
  std::uint64_t bytes = 0; ///< of memory; 0: three quarters of the machine's
};

/// Runs a job of `workerJob`. Fails as the job does, or with LM-W001 (the worker program is missing), LM-W002 (it ended
/// by itself: a crash), LM-W003 (time), LM-W004 (memory), LM-W006 (it cannot be
/// confined), or `cancelled`. `doing` is for people: "reading 'a.step'".
Expected<nlohmann::json> runInWorker(const std::string& job, const nlohmann::json& arguments, const std::string& doing,
                                     const WorkerLimits& limits, const Context& cx);

/// What the child process does: "read", "mesh", "cut", "combine", "merge", "heal" and "end"; "crash", "hang" and "eat" to try
/// the limits out, and "escape" to try out that it cannot do more.
Expected<nlohmann::json> workerJob(const std::string& job, const nlohmann::json& arguments, const Context& cx);

constexpr int kWorkerAnswered = 0, kWorkerNoMemory = 4, kWorkerNotConfined = 5; ///< exit codes
constexpr int kWorkerIn = 3, kWorkerOut = 4;                                    ///< handles of its job and its answer
nlohmann::json jobFrom(const std::string& bytes); ///< null JSON where they are none

/// The child's main program: `JOB BYTES SECONDS`, with the most memory and processor time. It reads its arguments and writes
/// its answer by the handles above, its progress to the standard output, and can do nothing else (`confine`).
int workerMain(int argc, char** argv);

} // namespace lumsk::brep
