#include "exchange/project.h"

#include "exchange/files.h"
#include "exchange/recovery.h"

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <unistd.h>
#include <zip.h>

namespace lumsk::exchange {

namespace {

constexpr zip_uint64_t kLargestEntry = zip_uint64_t(512) << 20;

Problem damaged(const std::string& why) {
  return problem("LM-F001", "this is not a whole Lumsk project: " + why).tryThis("open an earlier copy");
}

/// Closes an archive on leaving, dropping changes unless it was closed before.
struct Archive {
  zip_t* zip = nullptr;
  ~Archive() {
    if (zip) zip_discard(zip);
  }
};

Expected<std::string> entry(zip_t* z, const char* name) {
  zip_stat_t s;
  if (zip_stat(z, name, 0, &s) != 0) return fail(damaged(std::string("'") + name + "' is missing"));
  if (s.size > kLargestEntry) return fail(damaged(std::string("'") + name + "' is too large"));
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

Expected<void> add(zip_t* z, const std::string& name, const std::string& bytes, bool packed = true) {
  zip_source_t* source = zip_source_buffer(z, bytes.data(), bytes.size(), 0);
  const auto at = source ? zip_file_add(z, name.c_str(), source, ZIP_FL_OVERWRITE | ZIP_FL_ENC_UTF_8) : -1;
  if (at < 0) {
    if (source) zip_source_free(source);
    return fail(problem("LM-F022", "the project cannot be packed"));
  }
  if (!packed) zip_set_file_compression(z, zip_uint64_t(at), ZIP_CM_STORE, 0);
  return {};
}

} // namespace

namespace {

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
  LUMSK_TRY(text, entry(a.zip, "recipe.json"));
  LUMSK_TRY(recipe, recipe::fromText(text));
  out.recipe = std::move(recipe);
  const std::string folder = "imports/", cache = "cache/";
  for (zip_int64_t i = 0; i < zip_get_num_entries(a.zip, 0); ++i) {
    const char* name = zip_get_name(a.zip, zip_uint64_t(i), 0);
    if (name && std::string(name).rfind(cache, 0) == 0) {
      if (keptResults == Kept::Leave) continue;
      // Lost results are no loss: they are computed again.
      const auto kept = entry(a.zip, name);
      if (!kept) continue;
      if (auto outcome = unpackOutcome(*kept))
        out.kept["xxh128:" + std::string(name).substr(cache.size())] =
            std::make_shared<const recipe::Outcome>(std::move(*outcome));
      continue;
    }
    if (!name || std::string(name).rfind(folder, 0) != 0) continue;
    LUMSK_TRY(bytes, entry(a.zip, name));
    const std::string hash = recipe::hashOf(bytes);
    if ("xxh128:" + std::string(name).substr(folder.size()) != hash)
      return fail(problem("LM-F004", "an imported file in the project is damaged").tryThis("open an earlier copy"));
    out.recipe.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
  }
  if (auto png = entry(a.zip, "thumbnail.png")) out.thumbnailPng = std::move(*png);
  if (auto about = entry(a.zip, "recovery.json")) out.recovery = std::move(*about);
  return out;
}

Expected<void> writeProject(const std::string& path, const Project& p) {
  return replaceFile(path, [&](const std::string& temporary) -> Expected<void> {
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
    const std::string text = recipe::toText(p.recipe);
    LUMSK_CHECK(add(a.zip, "recipe.json", text));
    if (!p.recovery.empty()) LUMSK_CHECK(add(a.zip, "recovery.json", p.recovery));
    if (!p.thumbnailPng.empty()) LUMSK_CHECK(add(a.zip, "thumbnail.png", p.thumbnailPng));
    for (const auto& [hash, bytes] : p.recipe.imports)
      if (text.find(hash) != std::string::npos) // others were used by steps that are gone
        // Kept work is written again and again: packing what was imported would take longest.
        LUMSK_CHECK(add(a.zip, "imports/" + hash.substr(hash.find(':') + 1), *bytes, p.recovery.empty()));
    std::vector<std::string> packed; // the archive reads them when it is closed
    packed.reserve(p.kept.size());
    for (const auto& [key, outcome] : p.kept)
      if (auto bytes = packOutcome(*outcome)) {
        packed.push_back(std::move(*bytes));
        LUMSK_CHECK(add(a.zip, "cache/" + key.substr(key.find(':') + 1), packed.back()));
      }
    if (zip_close(a.zip) != 0) return cannot(zip_strerror(a.zip));
    a.zip = nullptr;
    return {};
  });
}

std::optional<std::string> ProjectLock::take(const std::string& projectPath) {
  release();
  const std::filesystem::path p(projectPath);
  const std::string lock = (p.parent_path() / ("." + p.filename().string() + ".lock")).string();
  const std::string self = thisProcess();
  if (std::ifstream in(lock); in) {
    std::string other;
    std::getline(in, other);
    const auto host = [](const std::string& words) { return words.substr(0, words.find(' ')); };
    if (other != self && processLives(other))
      return "it is open in another window" + (host(other) == host(self) ? std::string() : " on " + host(other));
  }
  if (std::ofstream out(lock); out << self << '\n') path_ = lock;
  return {};
}

void ProjectLock::release() {
  if (!path_.empty()) ::unlink(path_.c_str());
  path_.clear();
}

} // namespace lumsk::exchange
