#include "exchange/processes.h"

#include <cctype>
#include <charconv>
#include <fmt/format.h>
#include <fstream>
#include <sstream>
#include <unistd.h>
#include <vector>
#include <xxhash.h>

namespace lumsk::exchange {

namespace {

constexpr const char* kTag = "lumsk-";

std::string hostName() {
  char host[256] = "";
  ::gethostname(host, sizeof host - 1);
  return *host ? host : "-";
}

/// The machine in eight signs that a file name can hold.
std::string hostTag() {
  const std::string name = hostName();
  return fmt::format("{:08x}", std::uint32_t(XXH3_64bits(name.data(), name.size())));
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

std::string processTag() {
  return kTag + hostTag() + "-" + std::to_string(::getpid()) + "-" + startOf(::getpid()).value_or("0") + "~";
}

bool isLeftover(const std::string& fileName) {
  const auto at = fileName.rfind(kTag + hostTag() + "-");
  if (at == std::string::npos) return false;
  const char* p = fileName.data() + at + std::string(kTag).size() + hostTag().size() + 1;
  const char* const end = fileName.data() + fileName.size();
  long pid = 0;
  const auto number = std::from_chars(p, end, pid);
  if (number.ec != std::errc() || number.ptr == end || *number.ptr != '-') return false;
  const char* start = number.ptr + 1;
  const char* close = start;
  while (close != end && std::isdigit(static_cast<unsigned char>(*close))) ++close;
  if (close == start || close == end || *close != '~') return false;
  return startOf(pid) != std::string(start, close);
}

} // namespace lumsk::exchange
