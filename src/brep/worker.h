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
/// by itself: a crash), LM-W003 (time), LM-W004 (memory), or `cancelled`. `doing` is for people: "reading 'a.step'".
Expected<nlohmann::json> runInWorker(const std::string& job, const nlohmann::json& arguments, const std::string& doing,
                                     const WorkerLimits& limits, const Context& cx);

/// What the child process does: "read", "mesh", "cut", "combine", "merge", "heal" and "end", and "crash", "hang" and "eat" to try the limits out.
Expected<nlohmann::json> workerJob(const std::string& job, const nlohmann::json& arguments, const Context& cx);

constexpr int kWorkerAnswered = 0, kWorkerNoMemory = 4; ///< exit codes
bool writeJob(const std::string& path, const nlohmann::json& j);
nlohmann::json loadJob(const std::string& path); ///< null JSON where it cannot be read

/// The child's main program: `JOB IN OUT BYTES`. Its answer goes to the file OUT, its progress to the standard output.
int workerMain(int argc, char** argv);

} // namespace lumsk::brep
