#include "exchange/recovery.h"

#include "exchange/files.h"

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>

namespace lumsk::exchange {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr const char* kEnding = ".lumsk-recovery";

std::string hostName() {
  char host[256] = "";
  ::gethostname(host, sizeof host - 1);
  return *host ? host : "-";
}

/// When a process started, in ticks since the machine did; nothing when it has ended.
std::optional<std::string> startOf(long pid) {
  const std::string folder = "/proc/" + std::to_string(pid);
  // A process that has ended and was not waited for has no command line any more.
  std::ifstream command(folder + "/cmdline"), stat(folder + "/stat");
  if (!command || command.peek() == std::ifstream::traits_type::eof()) return {};
  std::string text((std::istreambuf_iterator<char>(stat)), {});
  const auto close = text.rfind(')'); // the name before it may hold anything
  if (close == std::string::npos) return {};
  std::istringstream fields(text.substr(close + 1));
  std::string field;
  for (int i = 3; i <= 22; ++i) fields >> field; // proc(5): the 22nd is the start time
  return field;
}

} // namespace

std::string thisProcess() {
  return hostName() + " " + std::to_string(::getpid()) + " " + startOf(::getpid()).value_or("0");
}

bool processLives(const std::string& words) {
  std::istringstream in(words);
  std::string host, start;
  long pid = 0;
  in >> host >> pid >> start;
  if (host != hostName()) return true;
  const auto now = startOf(pid);
  return now && (start.empty() || start == *now); // files of before have no start
}

Recovery::Recovery(std::string folder) : folder_(std::move(folder)) {
  static std::atomic<int> windows{0};
  file_ = (fs::path(folder_) / (std::to_string(::getpid()) + "-" + std::to_string(++windows) + kEnding)).string();
}

Expected<void> Recovery::keep(const recipe::Recipe& r, const std::string& projectPath) const {
  std::error_code e;
  fs::create_directories(folder_, e);
  Project p;
  p.recipe = r;
  p.recovery = json{{"process", thisProcess()}, {"project", projectPath}}.dump();
  return writeProject(file_, p);
}

void Recovery::drop() const {
  std::error_code e;
  fs::remove(file_, e);
}

std::vector<LostWork> Recovery::lost() const {
  std::vector<LostWork> out;
  std::error_code e;
  for (const auto& entry : fs::directory_iterator(folder_, e)) {
    if (entry.path().extension() != kEnding || entry.path() == file_) continue;
    const auto project = readProject(entry.path().string());
    if (!project) continue;
    const json about = json::parse(project->recovery, nullptr, false);
    if (!about.is_object() || processLives(about.value("process", ""))) continue;
    struct stat s {};
    if (::stat(entry.path().c_str(), &s) != 0) continue;
    out.push_back(
        {entry.path().string(), about.value("project", ""), std::chrono::system_clock::from_time_t(s.st_mtime)});
  }
  std::sort(out.begin(), out.end(), [](const LostWork& a, const LostWork& b) { return a.time > b.time; });
  return out;
}

Expected<Project> Recovery::take(const LostWork& w) const {
  auto project = readProject(w.file);
  if (!project) return project;
  // Ours is complete before the old one goes.
  LUMSK_CHECK(keep(project->recipe, w.projectPath));
  discard(w);
  return project;
}

void Recovery::discard(const LostWork& w) const {
  std::error_code e;
  fs::remove(w.file, e);
}

} // namespace lumsk::exchange
