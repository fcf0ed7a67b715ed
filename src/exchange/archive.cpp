#include "exchange/archive.h"

namespace lumsk::exchange {

namespace {

/// The packing library's own choice is 9: a mesh takes six times as long then, and is 6 % smaller.
constexpr zip_uint32_t kLevel = 5;
constexpr zip_uint16_t kFirstDay = (1 << 5) | 1; ///< the first of January 1980, so that the same form makes the same file

std::optional<std::string> bytesOf(zip_t* z, zip_uint64_t index) {
  zip_stat_t s;
  zip_file_t* f = zip_stat_index(z, index, 0, &s) == 0 ? zip_fopen_index(z, index, 0) : nullptr;
  if (!f) return std::nullopt;
  std::string bytes(s.size, '\0');
  const bool whole = zip_fread(f, bytes.data(), s.size) == zip_int64_t(s.size);
  return zip_fclose(f) == 0 && whole ? std::optional(std::move(bytes)) : std::nullopt;
}

/// What was written into a source in memory; frees it.
std::optional<std::string> writtenTo(zip_source_t* source) {
  zip_stat_t s;
  std::optional<std::string> out;
  if (zip_source_stat(source, &s) == 0 && zip_source_open(source) == 0) {
    out = std::string(s.size, '\0');
    if (zip_source_read(source, out->data(), s.size) != zip_int64_t(s.size)) out.reset();
    zip_source_close(source);
  }
  zip_source_free(source);
  return out;
}

} // namespace

Expected<zip_uint64_t> addEntry(const Archive& to, const std::string& name, const std::string& bytes, bool packed) {
  zip_source_t* source = zip_source_buffer(to.zip, bytes.data(), bytes.size(), 0);
  const auto at = source ? zip_file_add(to.zip, name.c_str(), source, ZIP_FL_OVERWRITE | ZIP_FL_ENC_UTF_8) : -1;
  if (at < 0) {
    if (source) zip_source_free(source);
    return fail(problem("LM-F022", "the file cannot be packed"));
  }
  zip_set_file_compression(to.zip, zip_uint64_t(at), packed ? ZIP_CM_DEFLATE : ZIP_CM_STORE, packed ? kLevel : 0);
  return zip_uint64_t(at);
}

std::optional<std::string> packedAnew(const std::string& bytes) {
  zip_source_t* in = zip_source_buffer_create(bytes.data(), bytes.size(), 0, nullptr);
  if (!in) return std::nullopt;
  const Archive from{zip_open_from_source(in, ZIP_RDONLY, nullptr)};
  if (!from.zip) return zip_source_free(in), std::nullopt;
  std::vector<std::string> entries; // the archive reads them when it is closed
  const zip_int64_t count = zip_get_num_entries(from.zip, 0);
  entries.reserve(size_t(count));
  zip_source_t* out = zip_source_buffer_create(nullptr, 0, 0, nullptr);
  if (!out) return std::nullopt;
  zip_source_keep(out); // to be read when the archive is closed
  {
    Archive to{zip_open_from_source(out, ZIP_TRUNCATE, nullptr)};
    bool whole = to.zip != nullptr;
    for (zip_uint64_t k = 0; whole && k < zip_uint64_t(count); ++k) {
      auto entry = bytesOf(from.zip, k);
      if (!(whole = entry.has_value())) break;
      const auto at = addEntry(to, zip_get_name(from.zip, k, 0), entries.emplace_back(std::move(*entry)));
      whole = at && zip_file_set_dostime(to.zip, *at, 0, kFirstDay, 0) == 0;
    }
    if (!to.zip) zip_source_free(out); // which the archive would have taken
    if (!whole || zip_close(to.zip) != 0) return zip_source_free(out), std::nullopt;
    to.zip = nullptr;
  }
  return writtenTo(out);
}

} // namespace lumsk::exchange
