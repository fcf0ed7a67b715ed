#include "exchange/project.h"

#include "exchange/archive.h"
#include "exchange/files.h"
#include "exchange/processes.h"
#include "exchange/seal.h"

#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <nlohmann/json.hpp>
#include <unistd.h>

namespace lumsk::exchange {

namespace {

// What a project may unpack to, stated in docs/security.md.
constexpr zip_uint64_t kMostUnpacked = kMostImported + (zip_uint64_t(256) << 20); ///< all entries
constexpr zip_uint64_t kMostRecipe = zip_uint64_t(64) << 20, kMostPicture = zip_uint64_t(16) << 20;
constexpr zip_int64_t kMostEntries = 100'000;

Problem damaged(const std::string& why) {
  return problem("LM-F001", "this is not a whole Lumsk project: " + why).tryThis("open an earlier copy");
}

Expected<std::string> entry(zip_t* z, const char* name, zip_uint64_t most = kMostUnpacked) {
  zip_stat_t s;
  if (zip_stat(z, name, 0, &s) != 0 || !(s.valid & ZIP_STAT_SIZE)) return fail(damaged(std::string("'") + name + "' is missing"));
  if (s.size > most) return fail(damaged(std::string("'") + name + "' is too large"));
  zip_file_t* f = zip_fopen(z, name, 0);
  if (!f) return fail(damaged(std::string("'") + name + "' cannot be read"));
  std::string bytes(s.size, '\0');
  const zip_int64_t got = zip_fread(f, bytes.data(), s.size);
  // The sum over the entry is checked only by the read that comes to its end.
  char beyond = 0;
  const bool ended = got == zip_int64_t(s.size) && zip_fread(f, &beyond, 1) == 0;
  const bool whole = zip_fclose(f) == 0 && ended;
  if (!whole) return fail(damaged(std::string("'") + name + "' is damaged"));
  return bytes;
}

/// Before anything is unpacked: a small file may say that it holds more than the machine.
Expected<void> checkSizes(zip_t* z) {
  const zip_int64_t entries = zip_get_num_entries(z, 0);
  if (entries > kMostEntries) return fail(damaged("it has too many entries"));
  zip_uint64_t all = 0;
  for (zip_int64_t i = 0; i < entries; ++i) {
    zip_stat_t s;
    if (zip_stat_index(z, zip_uint64_t(i), 0, &s) != 0 || !(s.valid & ZIP_STAT_SIZE)) return fail(damaged("an entry has no size"));
    if (s.size > kMostUnpacked || (all += s.size) > kMostUnpacked)
      return fail(problem("LM-F006", fmt::format("the project unpacks to more than {} MB", kMostUnpacked >> 20))
                      .tryThis("open an earlier copy, or the recipe alone"));
  }
  return {};
}

/// The name under which a kept result is sealed: results of other programs' versions do not hold.
std::string sealedName(const std::string& key) { return std::string(LUMSK_VERSION) + " " + key; }

/// Whether a name leads to a file in its folder and nowhere else.
bool plainName(const std::string& name) {
  return !name.empty() && name != "." && name != ".." && name.find('/') == std::string::npos;
}

/// The files that a bare recipe imports, by their names or hashes beside it or in a folder `imports` there. Those that
/// are not found, or are other ones by now, the steps will miss.
void takeImportsBeside(const std::filesystem::path& folder, recipe::Recipe& r) {
  for (const auto& step : r.steps)
    for (const nlohmann::json& value : *step->inputs) {
      if (!value.is_object() || !value.contains("hash") || !value["hash"].is_string()) continue;
      const auto hash = value["hash"].get<std::string>();
      const auto named = value.find("name");
      const std::string name = named != value.end() && named->is_string() ? named->get<std::string>() : "";
      for (const std::string& file : {name, hash.substr(hash.find(':') + 1)})
        for (const auto& from : {folder, folder / "imports"}) {
          if (r.imports.count(hash) || !plainName(file)) continue;
          auto bytes = readFile((from / file).string());
          if (bytes && recipe::hashOf(*bytes) == hash)
            r.imports[hash] = std::make_shared<const std::string>(std::move(*bytes));
        }
    }
}

} // namespace

Expected<Project> readProject(const std::string& path, Kept keptResults) {
  Project out;
  if (extensionOf(path) == ".json") {
    LUMSK_TRY(text, readFile(path));
    LUMSK_TRY(recipe, recipe::fromText(text));
    out.recipe = std::move(recipe);
    takeImportsBeside(std::filesystem::path(path).parent_path(), out.recipe);
    return out;
  }
  LUMSK_CHECK(readFile(path));
  int error = 0;
  Archive a{zip_open(path.c_str(), ZIP_RDONLY | ZIP_CHECKCONS, &error)};
  if (!a.zip) return fail(damaged("it is of another kind or cut off"));
  LUMSK_CHECK(checkSizes(a.zip));
  LUMSK_TRY(text, entry(a.zip, "recipe.json", kMostRecipe));
  LUMSK_TRY(recipe, recipe::fromText(text));
  out.recipe = std::move(recipe);
  const std::string folder = "imports/", cache = "cache/";
  for (zip_int64_t i = 0; i < zip_get_num_entries(a.zip, 0); ++i) {
    const char* name = zip_get_name(a.zip, zip_uint64_t(i), 0);
    if (name && std::string(name).rfind(cache, 0) == 0) {
      if (keptResults == Kept::Leave) continue;
      // Lost results are no loss: they are computed again. Those that this person's Lumsk did not write are not even looked
      // at, since they could be of any body, and the kernel's reader trusts what it reads.
      const auto kept = entry(a.zip, name);
      if (!kept || kept->size() < Seal::kLength) continue;
      const std::string key = "xxh128:" + std::string(name).substr(cache.size()), packed = kept->substr(Seal::kLength);
      if (!Seal::own().holds(sealedName(key), packed, kept->substr(0, Seal::kLength))) continue;
      if (auto outcome = unpackOutcome(packed)) out.kept[key] = std::make_shared<const recipe::Outcome>(std::move(*outcome));
      continue;
    }
    if (!name || std::string(name).rfind(folder, 0) != 0) continue;
    LUMSK_TRY(bytes, entry(a.zip, name));
    const std::string hash = recipe::hashOf(bytes);
    if ("xxh128:" + std::string(name).substr(folder.size()) != hash)
      return fail(problem("LM-F004", "an imported file in the project is damaged").tryThis("open an earlier copy"));
    out.recipe.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
  }
  if (auto png = entry(a.zip, "thumbnail.png", kMostPicture)) out.thumbnailPng = std::move(*png);
  if (auto about = entry(a.zip, "recovery.json", kMostPicture)) out.recovery = std::move(*about);
  return out;
}

std::set<std::string> usedImports(const recipe::Recipe& r) {
  std::set<std::string> out;
  if (r.imports.empty()) return out;
  for (const auto& s : r.steps) {
    const std::string inputs = s->inputs->dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    for (const auto& [hash, bytes] : r.imports)
      if (inputs.find(hash) != std::string::npos) out.insert(hash);
  }
  return out;
}

Expected<void> writeProject(const std::string& path, const Project& p, const Replacing& how) {
  const std::string text = recipe::toText(p.recipe);
  std::uintmax_t imported = 0;
  for (const std::string& hash : usedImports(p.recipe)) imported += p.recipe.imports.at(hash)->size();
  if (text.size() > kMostRecipe || imported > kMostImported) // it could not be opened again
    return fail(problem("LM-F006", "the project would hold more than a project may").tryThis("take out imported files or steps"));
  const auto write = [&](const std::string& temporary) -> Expected<void> {
    int error = 0;
    Archive a{zip_open(temporary.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error)};
    const auto cannot = [&](const std::string& why) {
      return fail(problem("LM-F022",
                          "'" + std::filesystem::path(path).filename().string() + "' cannot be written (" + why + ")")
                      .tryThis("choose another folder or make room on the disk"));
    };
    if (!a.zip) {
      zip_error_t e;
      zip_error_init_with_code(&e, error);
      const std::string why = zip_error_strerror(&e);
      zip_error_fini(&e);
      return cannot(why);
    }
    LUMSK_CHECK(addEntry(a, "recipe.json", text));
    if (!p.recovery.empty()) LUMSK_CHECK(addEntry(a, "recovery.json", p.recovery));
    if (!p.thumbnailPng.empty()) LUMSK_CHECK(addEntry(a, "thumbnail.png", p.thumbnailPng));
    for (const std::string& hash : usedImports(p.recipe))
      // Kept work is written again and again: packing what was imported would take longest.
      LUMSK_CHECK(addEntry(a, "imports/" + hash.substr(hash.find(':') + 1), *p.recipe.imports.at(hash), p.recovery.empty()));
    std::vector<std::string> packed; // the archive reads them when it is closed
    packed.reserve(p.kept.size());
    for (const auto& [key, outcome] : p.kept)
      if (auto bytes = packOutcome(*outcome)) {
        packed.push_back(Seal::own().of(sealedName(key), *bytes) + *bytes);
        LUMSK_CHECK(addEntry(a, "cache/" + key.substr(key.find(':') + 1), packed.back()));
      }
    if (zip_close(a.zip) != 0) return cannot(zip_strerror(a.zip));
    a.zip = nullptr;
    return {};
  };
  return replaceFile(path, write, how);
}

std::optional<std::string> ProjectLock::take(const std::string& projectPath) {
  release();
  const std::filesystem::path p(projectPath);
  const std::string lock = (p.parent_path() / ("." + p.filename().string() + ".lock")).string();
  const std::string self = thisProcess();
  std::error_code e;
  if (std::filesystem::is_regular_file(std::filesystem::symlink_status(lock, e))) { // others could be waited for
    std::ifstream in(lock);
    std::string other;
    std::getline(in, other);
    const auto host = [](const std::string& words) { return words.substr(0, words.find(' ')); };
    if (other != self && processLives(other))
      return "it is open in another window" + (host(other) == host(self) ? std::string() : " on " + host(other));
  }
  // Whoever may write in the folder could have laid a link there: it is never followed.
  ::unlink(lock.c_str());
  const int fd = ::open(lock.c_str(), O_CREAT | O_EXCL | O_WRONLY | O_NOFOLLOW | O_CLOEXEC, 0644);
  if (fd < 0) return {};
  const std::string line = self + "\n";
  if (::write(fd, line.data(), line.size()) == ssize_t(line.size())) path_ = lock;
  ::close(fd);
  return {};
}

void ProjectLock::release() {
  if (!path_.empty()) ::unlink(path_.c_str());
  path_.clear();
}

} // namespace lumsk::exchange
