#include "brep/worker.h"

#include "base/program.h"
#include "brep/memory_file.h"
#include "brep/pack.h"

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>
#include <fcntl.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace lumsk::brep {

using nlohmann::json;

namespace {

Problem missing(const std::string& doing) {
  return problem("LM-W001", doing + ": the program 'lumsk-worker' cannot be started").tryThis("install Lumsk again");
}

Problem noMemory(const std::string& doing) {
  return problem("LM-W004", doing + " needs more memory than there is").tryThis("take a smaller part of it");
}

/// A running child: stopped and waited for on leaving.
class Child {
public:
  Child(const std::string& program, std::vector<std::string> arguments, int in, int out) {
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) return;
    posix_spawn_file_actions_t actions;
    ::posix_spawn_file_actions_init(&actions);
    ::posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    ::posix_spawn_file_actions_adddup2(&actions, ends[1], 1);
#if !defined(__SANITIZE_ADDRESS__) // whose findings are to be seen
    ::posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0); // what a file makes it say is for no terminal
#endif
    // Away from the numbers that they are to have, lest one is closed by the other.
    const int own[2] = {::fcntl(in, F_DUPFD_CLOEXEC, 10), ::fcntl(out, F_DUPFD_CLOEXEC, 10)};
    ::posix_spawn_file_actions_adddup2(&actions, own[0], kWorkerIn);
    ::posix_spawn_file_actions_adddup2(&actions, own[1], kWorkerOut);
    std::vector<char*> argv{const_cast<char*>(program.c_str())};
    for (auto& a : arguments) argv.push_back(a.data());
    argv.push_back(nullptr);
    char* none[] = {nullptr};
    if (::posix_spawn(&pid_, program.c_str(), &actions, nullptr, argv.data(), none) != 0) pid_ = -1;
    ::posix_spawn_file_actions_destroy(&actions);
    for (int h : own) ::close(h);
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

Expected<json> answerOf(int status, const MemoryFile& file, const std::string& doing) {
  if (WIFEXITED(status) && WEXITSTATUS(status) == kWorkerNoMemory) return fail(noMemory(doing));
  if (WIFEXITED(status) && WEXITSTATUS(status) == kWorkerNotConfined)
    return fail(problem("LM-W006", doing + ": the system does not let the program for it be confined").tryThis("tell us which system it is"));
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU) return fail(problem("LM-W003", doing + " took too long and was stopped").tryThis("take a smaller part of it"));
  const json answer = WIFEXITED(status) && WEXITSTATUS(status) == kWorkerAnswered ? jobFrom(wholeOf(file.handle())) : json();
  try {
    if (answer.is_object() && answer.contains("problem")) return fail(problemFrom(answer.at("problem")));
    if (answer.is_object() && answer.contains("result")) return answer.at("result");
  } catch (const json::exception&) {
  }
  return fail(problem("LM-W002", doing + " has crashed; nothing else is lost")
                  .tryThis("take another file, or change the inputs a little"));
}

} // namespace

json jobFrom(const std::string& bytes) { return json::from_cbor(bytes, true, false); }

Expected<json> runInWorker(const std::string& job, const json& arguments, const std::string& doing,
                           const WorkerLimits& limits, const Context& cx) {
  const std::string program = programBeside("lumsk-worker");
  if (program.empty()) return fail(missing(doing));
  MemoryFile in("lumsk-job"), out("lumsk-answer");
  {
    const auto bytes = json::to_cbor(arguments);
    if (out.handle() < 0 || !in.write(reinterpret_cast<const char*>(bytes.data()), bytes.size())) return fail(noMemory(doing));
  }
  const auto most = limits.bytes ? limits.bytes : threeQuarters();
  const auto processorSeconds = std::uint64_t(limits.seconds + 1) * (std::thread::hardware_concurrency() + 1);
  Child child(program, {job, std::to_string(most), std::to_string(processorSeconds)}, in.handle(), out.handle());
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
