#include "brep/worker.h"

#include "brep/pack.h"

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <nlohmann/json.hpp>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ;

namespace lumsk::brep {

using nlohmann::json;
namespace fs = std::filesystem;

namespace {

/// A folder for the job's files that goes when it ends.
struct JobFolder {
  fs::path path;
  JobFolder() {
    std::error_code e;
    std::string pattern = (fs::temp_directory_path(e) / "lumsk-XXXXXX").string();
    if (::mkdtemp(pattern.data())) path = pattern;
  }
  ~JobFolder() {
    std::error_code e;
    if (!path.empty()) fs::remove_all(path, e);
  }
};

/// Beside this program, or in the folder above it, where the tests of a build stand, or where it is installed.
fs::path workerProgram() {
  std::error_code e;
  const fs::path here = fs::read_symlink("/proc/self/exe", e).parent_path();
  for (const fs::path& p : {here / "lumsk-worker", here.parent_path() / "lumsk-worker",
                            here.parent_path() / "libexec/lumsk/lumsk-worker"})
    if (::access(p.c_str(), X_OK) == 0) return p;
  return {};
}

Problem missing(const std::string& doing) {
  return problem("LM-W001", doing + ": the program 'lumsk-worker' cannot be started").tryThis("install Lumsk again");
}

Problem noMemory(const std::string& doing) {
  return problem("LM-W004", doing + " needs more memory than there is").tryThis("take a smaller part of it");
}

/// A running child: stopped and waited for on leaving.
class Child {
public:
  Child(const fs::path& program, std::vector<std::string> arguments) {
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) return;
    posix_spawn_file_actions_t actions;
    ::posix_spawn_file_actions_init(&actions);
    ::posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
    std::vector<char*> argv{const_cast<char*>(program.c_str())};
    for (auto& a : arguments) argv.push_back(a.data());
    argv.push_back(nullptr);
    if (::posix_spawn(&pid_, program.c_str(), &actions, nullptr, argv.data(), environ) != 0) pid_ = -1;
    ::posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    output_ = ends[0];
  }
  Child(const Child&) = delete;
  Child& operator=(const Child&) = delete;
  ~Child() {
    if (pid_ > 0) ::kill(pid_, SIGKILL), ::waitpid(pid_, nullptr, 0);
    if (output_ >= 0) ::close(output_);
  }
  bool started() const { return pid_ > 0; }

  /// Waits up to 20 ms for output; false when the child has closed it.
  bool listen(const Context& cx) {
    pollfd fd{output_, POLLIN, 0};
    if (::poll(&fd, 1, 20) <= 0) return true;
    char buffer[4096];
    const auto n = ::read(output_, buffer, sizeof buffer);
    if (n <= 0) return false;
    said_.append(buffer, size_t(n));
    for (size_t end; (end = said_.find('\n')) != std::string::npos; said_.erase(0, end + 1)) {
      double fraction = 0;
      int at = 0;
      if (std::sscanf(said_.c_str(), "@%lf %n", &fraction, &at) == 1 && at > 0)
        cx.report(fraction, said_.substr(size_t(at), end - size_t(at)));
    }
    return true;
  }
  /// The status of `waitpid`.
  int end() {
    int status = -1;
    ::waitpid(pid_, &status, 0);
    pid_ = -1;
    return status;
  }

private:
  pid_t pid_ = -1;
  int output_ = -1;
  std::string said_;
};

std::uint64_t threeQuarters() {
  return std::uint64_t(::sysconf(_SC_PHYS_PAGES)) * std::uint64_t(::sysconf(_SC_PAGESIZE)) / 4 * 3;
}

Expected<json> answerOf(int status, const fs::path& file, const std::string& doing) {
  if (WIFEXITED(status) && WEXITSTATUS(status) == kWorkerNoMemory) return fail(noMemory(doing));
  const json answer = WIFEXITED(status) && WEXITSTATUS(status) == kWorkerAnswered ? loadJob(file) : json();
  try {
    if (answer.is_object() && answer.contains("problem")) return fail(problemFrom(answer.at("problem")));
    if (answer.is_object() && answer.contains("result")) return answer.at("result");
  } catch (const json::exception&) {
  }
  return fail(problem("LM-W002", doing + " has crashed; nothing else is lost")
                  .tryThis("take another file, or change the inputs a little"));
}

} // namespace

bool writeJob(const std::string& path, const json& j) {
  const auto bytes = json::to_cbor(j);
  std::ofstream out(path, std::ios::binary);
  out.write(reinterpret_cast<const char*>(bytes.data()), std::streamsize(bytes.size()));
  return bool(out.flush());
}

json loadJob(const std::string& path) {
  std::ifstream in(path, std::ios::binary);
  return json::from_cbor(in, true, false);
}

Expected<json> runInWorker(const std::string& job, const json& arguments, const std::string& doing,
                           const WorkerLimits& limits, const Context& cx) {
  const fs::path program = workerProgram();
  const JobFolder folder;
  if (program.empty() || folder.path.empty()) return fail(missing(doing));
  const fs::path in = folder.path / "in", out = folder.path / "out";
  if (!writeJob(in, arguments))
    return fail(problem("LM-W005", doing + ": there is no room for its files").tryThis("make room on the disk"));
  const auto bytes = limits.bytes ? limits.bytes : threeQuarters();
  Child child(program, {job, in.string(), out.string(), std::to_string(bytes)});
  if (!child.started()) return fail(missing(doing));
  const auto start = std::chrono::steady_clock::now();
  while (child.listen(cx)) {
    if (cx.stopped()) return fail(cancelled());
    if (std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() > limits.seconds)
      return fail(problem("LM-W003", fmt::format("{} took longer than {:.0f} s and was stopped", doing, limits.seconds))
                      .tryThis("take a smaller part of it"));
  }
  return answerOf(child.end(), out, doing);
}

} // namespace lumsk::brep
