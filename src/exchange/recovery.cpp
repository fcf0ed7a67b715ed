#include "exchange/recovery.h"

#include "exchange/files.h"
#include "recipe/recipe_json.h"

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <sys/stat.h>
#include <unistd.h>

namespace lumsk::exchange {

namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr const char* kEnding = ".lumsk-recovery";
constexpr const char* kJournalEnding = ".lumsk-journal";
constexpr size_t kLongJournal = size_t(1) << 20; ///< bytes, after which all is written anew

/// A text of what a file says about itself, whatever it really holds there.
std::string textIn(const json& about, const char* key) {
  const auto it = about.is_object() ? about.find(key) : about.end();
  return about.is_object() && it != about.end() && it->is_string() ? it->get<std::string>() : std::string();
}

json aboutOf(const Project& p) {
  auto about = recipe::parsedSafely(p.recovery);
  return about ? std::move(*about) : json();
}

/// The journal that belongs to a file of unsaved work; empty where it names none beside it.
std::string journalOf(const std::string& file, const json& about) {
  const std::string name = textIn(about, "journal");
  if (name.empty() || name.find('/') != std::string::npos || fs::path(name).extension() != kJournalEnding) return {};
  return (fs::path(file).parent_path() / name).string();
}

/// What is kept in a file and the journal beside it.
Expected<Project> readKept(const std::string& file) {
  auto project = readProject(file, Kept::Leave);
  if (!project) return project;
  if (const std::string journal = journalOf(file, aboutOf(*project)); !journal.empty()) {
    // One that gives no recipe leaves the state before it.
    auto later = recipe::fromJson(Journal::replayed(journal, recipe::asJson(project->recipe)));
    if (later) {
      later->imports = project->recipe.imports;
      project->recipe = std::move(*later);
    }
  }
  return project;
}

/// Journals of a window, or all but one.
void removeJournals(const std::string& file, const std::string& but = {}) {
  const fs::path p(file);
  const std::string start = p.stem().string() + ".";
  std::error_code e;
  for (fs::directory_iterator it(p.parent_path(), e), end; !e && it != end; it.increment(e)) {
    const std::string name = it->path().filename().string();
    std::error_code ignored;
    if (name.rfind(start, 0) == 0 && it->path().extension() == kJournalEnding && name != but) fs::remove(it->path(), ignored);
  }
}

/// Takes away what processes that have ended left unfinished: temporary files, and journals of work that was never whole.
void sweep(const std::string& folder) {
  removeLeftovers(folder);
  std::error_code e;
  for (fs::directory_iterator it(folder, e), end; !e && it != end; it.increment(e)) {
    const std::string name = it->path().filename().string();
    std::error_code ignored;
    if (it->path().extension() == kJournalEnding && isLeftover(name) && !fs::exists(fs::path(folder) / (name.substr(0, name.find('.')) + kEnding), ignored))
      fs::remove(it->path(), ignored);
  }
}

} // namespace

Recovery::Recovery(std::string folder) : folder_(std::move(folder)) {
  static std::atomic<int> windows{0};
  file_ = (fs::path(folder_) / (std::to_string(::getpid()) + "-" + std::to_string(++windows) + kEnding)).string();
}

bool Recovery::appendable(const recipe::Recipe& r, const std::string& projectPath) const {
  if (!journal_.begun() || journal_.bytes() >= kLongJournal || projectPath != projectPath_) return false;
  const auto used = usedImports(r);
  return std::includes(imports_.begin(), imports_.end(), used.begin(), used.end());
}

Expected<void> Recovery::keep(const recipe::Recipe& r, const std::string& projectPath) {
  const std::lock_guard lock(mutex_);
  if (appendable(r, projectPath) && journal_.append(recipe::asJson(r))) return {};
  return keepWhole(r, projectPath);
}

Expected<void> Recovery::keepWhole(const recipe::Recipe& r, const std::string& projectPath) {
  std::error_code e;
  fs::create_directories(folder_, e);
  fs::permissions(folder_, fs::perms::owner_all, e);
  const std::string journal = fs::path(file_).stem().string() + "." + std::to_string(++journals_) + "." + processTag() + kJournalEnding;
  Project p;
  p.recipe = r;
  p.recovery = json{{"process", thisProcess()}, {"project", projectPath}, {"journal", journal}}.dump(-1, ' ', false, json::error_handler_t::replace);
  // The new journal first: until the file that names it is there, the old one holds with its own.
  const bool begun = journal_.begin((fs::path(folder_) / journal).string(), recipe::asJson(r)).has_value();
  if (auto done = writeProject(file_, p, {nullptr, true}); !done) {
    journal_.close();
    return done;
  }
  if (!begun) journal_.close(); // every later state is written whole then
  removeJournals(file_, journal);
  projectPath_ = projectPath;
  imports_ = usedImports(r);
  return {};
}

void Recovery::drop() {
  const std::lock_guard lock(mutex_);
  std::error_code e;
  fs::remove(file_, e);
  removeJournals(file_);
  journal_.close();
}

std::vector<LostWork> Recovery::lost() const {
  std::vector<LostWork> out;
  std::error_code e;
  sweep(folder_);
  for (fs::directory_iterator it(folder_, e), end; !e && it != end; it.increment(e)) {
    const std::string file = it->path().string();
    if (it->path().extension() != kEnding || file == file_) continue;
    const auto project = readKept(file);
    if (!project) continue;
    const json about = aboutOf(*project);
    if (!about.is_object() || processLives(textIn(about, "process"))) continue;
    struct stat s {}, j {};
    if (::stat(file.c_str(), &s) != 0) continue;
    const std::string journal = journalOf(file, about);
    const bool later = !journal.empty() && ::stat(journal.c_str(), &j) == 0 && j.st_mtime > s.st_mtime;
    out.push_back({file, textIn(about, "project"), std::chrono::system_clock::from_time_t(later ? j.st_mtime : s.st_mtime)});
  }
  std::sort(out.begin(), out.end(), [](const LostWork& a, const LostWork& b) { return a.time > b.time; });
  return out;
}

Expected<Project> Recovery::take(const LostWork& w) {
  auto project = readKept(w.file);
  if (!project) return project;
  // Ours is complete before the old one goes.
  {
    const std::lock_guard lock(mutex_);
    LUMSK_CHECK(keepWhole(project->recipe, w.projectPath));
  }
  discard(w);
  return project;
}

void Recovery::discard(const LostWork& w) const {
  std::error_code e;
  fs::remove(w.file, e);
  removeJournals(w.file);
}

} // namespace lumsk::exchange
