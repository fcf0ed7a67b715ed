#include "base/program.h"
#include "exchange/bureau.h"

#include <csignal>
#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

namespace lumsk::exchange {

namespace {

constexpr int kStartMs = 5000;

std::vector<std::string> argumentsOf(BureauManner m) {
  switch (m) {
  case BureauManner::Slow: return {"--pause", "20"};
  case BureauManner::Refuses: return {"--refuses"};
  case BureauManner::Dies: return {"--dies"};
  case BureauManner::Mumbles: return {"--mumbles"};
  default: return {};
  }
}

/// Whether it says within the time that it listens.
bool listens(int output) {
  pollfd fd{output, POLLIN, 0};
  char some[64];
  return ::poll(&fd, 1, kStartMs) > 0 && ::read(output, some, sizeof some) > 0;
}

} // namespace

const std::vector<std::pair<std::string, BureauManner>>& bureauManners() {
  static const std::vector<std::pair<std::string, BureauManner>> list{{"usual", BureauManner::Usual},     {"slow", BureauManner::Slow}, {"down", BureauManner::Down},
                                                                      {"refuses", BureauManner::Refuses}, {"dies", BureauManner::Dies}, {"mumbles", BureauManner::Mumbles}};
  return list;
}

Expected<std::unique_ptr<OwnBureau>> OwnBureau::start(BureauManner manner) {
  std::unique_ptr<OwnBureau> own(new OwnBureau);
  const auto cannot = [] { return fail(problem("LM-F055", "the simulated bureau, 'lumsk-bureau', cannot be started").tryThis("install Lumsk again")); };
  own->socket_ = own->folder_.path() + "/bureau";
  if (own->folder_.path().empty()) return cannot();
  if (manner == BureauManner::Down) return own; // nobody listens there
  const std::string program = programBeside("lumsk-bureau");
  int in[2], out[2];
  if (program.empty() || ::pipe2(in, O_CLOEXEC) != 0) return cannot();
  own->input_ = in[1]; // closed with this process, however it ends: then the bureau ends, too
  if (::pipe2(out, O_CLOEXEC) != 0) return ::close(in[0]), cannot();
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, in[0], 0);
  ::posix_spawn_file_actions_adddup2(&actions, out[1], 1);
  ::posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  std::vector<std::string> arguments{program, own->socket_, "--with-input"};
  for (auto& a : argumentsOf(manner)) arguments.push_back(a);
  std::vector<char*> argv;
  for (auto& a : arguments) argv.push_back(a.data());
  argv.push_back(nullptr);
  char* none[] = {nullptr};
  const bool started = ::posix_spawn(&own->pid_, program.c_str(), &actions, nullptr, argv.data(), none) == 0;
  ::posix_spawn_file_actions_destroy(&actions);
  ::close(in[0]), ::close(out[1]);
  if (!started) own->pid_ = -1;
  const bool listening = started && listens(out[0]);
  ::close(out[0]);
  if (!listening) return cannot();
  return own;
}

OwnBureau::~OwnBureau() {
  if (input_ >= 0) ::close(input_);
  if (pid_ > 0) ::kill(pid_, SIGKILL), ::waitpid(pid_, nullptr, 0);
}

} // namespace lumsk::exchange
