#include "cli/study.h"

#include "exchange/files.h"
#include "exchange/project.h"

#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <set>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

namespace lumsk::cli {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr int kMostVariants = 10000, kMostBodyColumns = 20;
constexpr double kRangeSlack = 1e-9; ///< of a step: the end of a range counts although sums are not exact

Problem senseless(const std::string& what) { return problem("LM-F037", what).tryThis("write NAME=FROM:TO:STEP or NAME=VALUE,VALUE"); }

std::vector<std::string> splitAt(const std::string& text, char at) {
  std::vector<std::string> out(1);
  int depth = 0; // commas between brackets belong to a function
  for (const char c : text) {
    depth += c == '(' ? 1 : c == ')' ? -1 : 0;
    if (c == at && depth == 0) out.emplace_back();
    else out.back() += c;
  }
  return out;
}

std::optional<double> numberIn(const std::string& text) {
  char* end = nullptr;
  const double v = std::strtod(text.c_str(), &end);
  return !text.empty() && *end == 0 && std::isfinite(v) ? std::optional(v) : std::nullopt;
}

/// The values of one variant, in the order of what is varied.
std::vector<std::string> valuesOf(const std::vector<Vary>& vary, int variant) {
  std::vector<std::string> out(vary.size());
  for (size_t i = vary.size(); i-- > 0;) {
    const int n = int(vary[i].values.size());
    out[i] = vary[i].values[size_t(variant % n)];
    variant /= n;
  }
  return out;
}

std::string folderOf(const StudyArguments& a, int variant) { return fmt::format("{}/{:04}", a.out, variant + 1); }

json identityOf(const StudyArguments& a, const std::string& hash) {
  json vary = json::array();
  for (const Vary& v : a.vary) vary.push_back({{"name", v.name}, {"values", v.values}});
  return {{"file", fs::path(a.file).filename().string()}, {"hash", hash}, {"vary", vary}, {"exports", a.endings}, {"picture", a.picture}, {"run", a.run}};
}

json readJson(const std::string& path) {
  const auto bytes = exchange::readFile(path);
  return bytes ? json::parse(*bytes, nullptr, false) : json(json::value_t::discarded);
}

/// Nothing of another study is mixed with this one.
Expected<void> takeFolder(const StudyArguments& a, const json& identity) {
  std::error_code e;
  fs::create_directories(a.out, e);
  if (e) return fail(exchange::cannotWrite(a.out, e.message()));
  const std::string path = a.out + "/study.json";
  const json there = readJson(path);
  if (there == identity) return {};
  if (fs::exists(path) && !a.fresh)
    return fail(problem("LM-F038", "the folder '" + a.out + "' holds another study: of another file, or with other values").tryThis("take another folder, or say --fresh to begin anew"));
  for (const auto& entry : fs::directory_iterator(a.out, e))
    if (entry.is_directory() && fs::exists(entry.path() / "done.json")) fs::remove(entry.path() / "done.json", e);
  return exchange::replaceFile(path, identity.dump(1) + "\n");
}

std::vector<std::string> commandOf(const StudyArguments& a, const std::string& program, int variant) {
  std::vector<std::string> out{program, "run", a.file};
  const auto values = valuesOf(a.vary, variant);
  for (size_t i = 0; i < values.size(); ++i) out.insert(out.end(), {"--set", a.vary[i].name + "=" + values[i]});
  const std::string folder = folderOf(a, variant);
  out.insert(out.end(), {"--report", folder + "/report.json"});
  if (a.picture) out.insert(out.end(), {"--picture", folder + "/picture.png"});
  for (const std::string& ending : a.endings) out.insert(out.end(), {"--export", folder + "/part" + ending});
  out.insert(out.end(), a.run.begin(), a.run.end());
  return out;
}

/// A process that ends with this one; what it says goes into a file.
pid_t start(const std::vector<std::string>& command, const std::string& log) {
  std::vector<char*> arguments;
  for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
  arguments.push_back(nullptr);
  const pid_t parent = getpid(), child = fork();
  if (child != 0) return child;
  prctl(PR_SET_PDEATHSIG, SIGKILL);
  if (getppid() != parent) _exit(127); // it ended in between
  if (FILE* to = std::fopen(log.c_str(), "w")) {
    dup2(fileno(to), STDOUT_FILENO);
    dup2(fileno(to), STDERR_FILENO);
  }
  execv(arguments[0], arguments.data());
  _exit(127);
}

std::string cell(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

/// Figures of one variant by column.
std::map<std::string, std::string> figuresOf(const json& report) {
  std::map<std::string, std::string> out;
  double volume = 0, area = 0;
  int valid = 0, bodies = 0, failed = 0;
  const auto number = [](const json& of, const char* key) { return of.is_object() && of.contains(key) && of[key].is_number() ? of[key].get<double>() : 0.0; };
  for (const json& s : report.value("steps", json::array())) failed += s.value("status", "") == "failed";
  for (const json& b : report.value("bodies", json::array())) {
    ++bodies;
    valid += b.value("valid", false);
    volume += number(b, "volume_mm3");
    area += number(b, "area_mm2");
    if (bodies <= kMostBodyColumns) out["volume_mm3 of " + b.value("label", "")] = formatNumber(number(b, "volume_mm3"), 10);
  }
  for (const json& m : report.value("measurements", json::array())) out[m.value("name", "") + (m.value("unit", "").empty() ? "" : " " + m.value("unit", ""))] = formatNumber(number(m, "value"), 10);
  out["bodies"] = std::to_string(bodies);
  out["valid"] = std::to_string(valid);
  out["failed_steps"] = std::to_string(failed);
  out["volume_mm3"] = formatNumber(volume, 10);
  out["area_mm2"] = formatNumber(area, 10);
  return out;
}

/// The table of all variants that are done.
Expected<void> writeTable(const StudyArguments& a, int variants) {
  const std::vector<std::string> first{"bodies", "valid", "failed_steps", "volume_mm3", "area_mm2"};
  std::set<std::string> others;
  std::vector<std::pair<int, std::map<std::string, std::string>>> rows;
  for (int i = 0; i < variants; ++i) {
    const json done = readJson(folderOf(a, i) + "/done.json"), report = readJson(folderOf(a, i) + "/report.json");
    if (!done.is_object() || !report.is_object()) continue;
    auto figures = figuresOf(report);
    figures["seconds"] = formatNumber(done.value("seconds", 0.0), 4);
    figures["state"] = done.value("state", "");
    for (const auto& [key, value] : figures)
      if (key != "seconds" && key != "state" && std::find(first.begin(), first.end(), key) == first.end()) others.insert(key);
    rows.emplace_back(i, std::move(figures));
  }
  std::vector<std::string> columns{"state", "seconds"};
  columns.insert(columns.end(), first.begin(), first.end());
  columns.insert(columns.end(), others.begin(), others.end());
  std::string out = "variant";
  for (const Vary& v : a.vary) out += "," + cell(v.name);
  for (const auto& c : columns) out += "," + cell(c);
  out += "\n";
  for (auto& [i, figures] : rows) {
    out += fmt::format("{:04}", i + 1);
    for (const auto& value : valuesOf(a.vary, i)) out += "," + cell(value);
    for (const auto& c : columns) out += "," + cell(figures[c]);
    out += "\n";
  }
  return exchange::replaceFile(a.out + "/study.csv", out);
}

Expected<std::pair<int, int>> chosenOf(const std::string& only, int variants) {
  if (only.empty()) return std::pair(0, variants);
  const auto parts = splitAt(only, '-');
  const auto from = numberIn(parts[0]), to = numberIn(parts.back());
  if (parts.size() > 2 || !from || !to || *from < 1 || *to < *from || *from > variants)
    return fail(problem("LM-F037", "there is no variant '" + only + "'").want(count(variants)).tryThis("name one by its number, or several as 1-20"));
  return std::pair(int(*from) - 1, std::min(int(*to), variants));
}

} // namespace

Expected<Vary> varyOf(const std::string& words) {
  const auto eq = words.find('=');
  if (eq == std::string::npos || eq == 0 || eq + 1 == words.size()) return fail(senseless("'" + words + "' says nothing to vary"));
  Vary out{words.substr(0, eq), {}};
  const std::string values = words.substr(eq + 1);
  if (const auto range = splitAt(values, ':'); range.size() == 3) {
    const auto from = numberIn(range[0]), to = numberIn(range[1]), step = numberIn(range[2]);
    if (!from || !to || !step || *step == 0 || (*to - *from) / *step < 0) return fail(senseless("'" + values + "' is no range from one number to another"));
    const double steps = std::floor((*to - *from) / *step + kRangeSlack);
    if (steps >= kMostVariants) return fail(senseless("'" + words + "' has too many values").want(count(kMostVariants)));
    for (int i = 0; i <= int(steps); ++i) out.values.push_back(formatNumber(*from + i * *step, 10));
    return out;
  }
  for (const std::string& v : splitAt(values, ',')) {
    if (v.find_first_not_of(" \t") == std::string::npos) return fail(senseless("'" + words + "' has an empty value"));
    out.values.push_back(v);
  }
  return out;
}

Expected<int> variantsOf(const std::vector<Vary>& vary) {
  double n = 1;
  for (const Vary& v : vary) n *= double(v.values.size());
  if (n > kMostVariants) return fail(problem("LM-F037", "there are too many variants").measure(count(n)).want(count(kMostVariants)).tryThis("vary fewer numbers at once"));
  return int(n);
}

Expected<int> study(const StudyArguments& a, const std::string& program, const std::function<void(const std::string&)>& say) {
  LUMSK_TRY(variants, variantsOf(a.vary));
  LUMSK_TRY(project, exchange::readProject(a.file, exchange::Kept::Leave));
  for (const Vary& v : a.vary) {
    const auto& all = project.recipe.parameters;
    if (std::any_of(all.begin(), all.end(), [&](const auto& p) { return p.name == v.name; })) continue;
    std::string known;
    for (const auto& p : all) known += (known.empty() ? "" : ", ") + p.name;
    return fail(problem("LM-F037", "there is no number '" + v.name + "'").tryThis(known.empty() ? "give the recipe numbers first" : "the numbers are " + known));
  }
  LUMSK_TRY(chosen, chosenOf(a.only, variants));
  LUMSK_TRY(bytes, exchange::readFile(a.file));
  LUMSK_CHECK(takeFolder(a, identityOf(a, recipe::hashOf(bytes))));
  int failed = 0, next = chosen.first;
  using Clock = std::chrono::steady_clock;
  std::map<pid_t, std::pair<int, Clock::time_point>> running;
  while (next < chosen.second || !running.empty()) {
    if (next < chosen.second && int(running.size()) < a.jobs) {
      const int i = next++;
      const std::string folder = folderOf(a, i);
      if (const json done = readJson(folder + "/done.json"); done.is_object()) {
        failed += done.value("state", "") != "ok";
        say(fmt::format("{:04}: done before", i + 1));
        continue;
      }
      std::error_code e;
      fs::create_directories(folder, e);
      const pid_t child = start(commandOf(a, program, i), folder + "/log.txt");
      if (child < 0) return fail(problem("LM-F020", "no process could be started").tryThis("run fewer at once"));
      running[child] = {i, Clock::now()};
      continue;
    }
    int status = 0;
    const pid_t ended = waitpid(-1, &status, 0);
    const auto it = running.find(ended);
    if (it == running.end()) continue;
    const auto [i, began] = it->second;
    running.erase(it);
    const double seconds = std::chrono::duration<double>(Clock::now() - began).count();
    const int code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    const std::string folder = folderOf(a, i);
    failed += code != 0;
    if (code == 0 || code == 1) // the recipe's own failures will come again; anything else is worth another try
      LUMSK_CHECK(exchange::replaceFile(folder + "/done.json", json{{"state", code == 0 ? "ok" : "failed"}, {"seconds", seconds}}.dump() + "\n"));
    std::string words;
    const auto values = valuesOf(a.vary, i);
    for (size_t k = 0; k < values.size(); ++k) words += " " + a.vary[k].name + "=" + values[k];
    say(fmt::format("{:04}:{} {} in {:.1f} s{}", i + 1, words, code == 0 ? "done" : code == 1 ? "failed" : "broken off", seconds, code == 0 ? "" : ", see " + folder + "/log.txt"));
  }
  LUMSK_CHECK(writeTable(a, variants));
  return failed;
}

} // namespace lumsk::cli
