// Structure valid, content hostile: mutations by the grammar of each format.
#include "hardening/hostile.h"

#include "exchange/files.h"
#include "recipe/recipe.h"

#include <algorithm>
#include <cstring>
#include <functional>
#include <nlohmann/json.hpp>
#include <zip.h>
#include <zlib.h>

namespace lumsk::test {

using nlohmann::json;

namespace {

const std::vector<std::string>& oddNumbers() {
  static const std::vector<std::string> n{"0.", "-1.", "1.E308", "-1.E308", "1.E-308", "1.E+6", "1.E+9", "1.E+15", "-0.", "1.E-9", "4.9E-324", "2147483648.", "9007199254740993.", "3.14159265358979"};
  return n;
}
const std::vector<std::string>& oddTexts() {
  static const std::vector<std::string> t{"", "\x1b[2J\x1b]0;x\x07", "../../../../etc/passwd", "/dev/zero", "a\nb", std::string(70000, 'x'), "%s%n%x", "\xf0\x9f\x98\x80", "\xe2\x80\xae", "null", "1/0", "((((((((((", "w+w+w", "sqrt(-1)", "1e999", "s1", "world"};
  return t;
}

std::string ofKind(const std::vector<Sample>& all, const std::string& ending, Rng& rng) {
  std::vector<std::string> fit;
  for (const Sample& s : all)
    if (exchange::extensionOf(s.name) == ending) fit.push_back(s.bytes);
  return fit.empty() ? std::string() : any(rng, fit);
}

// Recipes ------------------------------------------------------------------------------------------------------------

json oddValue(Rng& rng) {
  switch (below(rng, 12)) {
  case 0: return nullptr;
  case 1: return true;
  case 2: return any(rng, std::vector<double>{0, -1, 1e308, -1e308, 1e-308, 1e9, 1e6, 1e15, 2147483648.0, 1e-12, 0.5});
  case 3: return any(rng, std::vector<std::int64_t>{0, -1, INT64_MAX, INT64_MIN, 1 << 30});
  case 4: return any(rng, oddTexts());
  case 5: return json::array();
  case 6: return json::object();
  case 7: {
    json deep = 1;
    for (int i = 0; i < 80; ++i) deep = json::array({std::move(deep)});
    return deep;
  }
  case 8: return json(std::vector<int>(20000, 7));
  case 9: return json{{"step", "s1"}, {"id", "p1"}};
  case 10: return json::array({{{"step", "s1"}, {"id", "p1"}}, {{"step", "s1"}, {"id", "p1"}}});
  default: return double(below(rng, 100000)) / 100;
  }
}

void collect(json& j, std::vector<json*>& out) {
  out.push_back(&j);
  if (j.is_structured())
    for (auto& child : j) collect(child, out);
}

std::string hostileRecipe(const std::string& text, Rng& rng) {
  json j = json::parse(text, nullptr, false);
  if (j.is_discarded()) return text;
  for (size_t n = 1 + below(rng, 4); n > 0; --n) {
    std::vector<json*> nodes;
    collect(j, nodes);
    json& at = *nodes[1 + below(rng, nodes.size() - 1)];
    switch (below(rng, 6)) {
    case 0: { // another part of it stands here
      const json other = *any(rng, nodes);
      if (other.dump().size() < 100000) at = other;
      break;
    }
    case 1: // many of the same
      if (at.is_array() && !at.empty() && at.size() < 1000)
        for (size_t k = any(rng, std::vector<size_t>{2, 50, 3000}); k > 0; --k) at.push_back(at[below(rng, at.size())]);
      break;
    case 2: // less
      if (at.is_structured() && !at.empty()) at.erase(std::next(at.begin(), std::ptrdiff_t(below(rng, at.size()))));
      break;
    case 3:
      if (at.is_number()) at = at.get<double>() * any(rng, std::vector<double>{-1, 1e3, 1e-3, 1e6, 1e-6, 0});
      break;
    default: at = oddValue(rng);
    }
  }
  return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

// Projects -----------------------------------------------------------------------------------------------------------

struct Entry {
  std::string name, bytes;
  bool packed = true;
};

std::string zipped(const std::vector<Entry>& entries) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* to = zip_source_buffer_create(nullptr, 0, 0, &error);
  zip_t* z = zip_open_from_source(to, ZIP_TRUNCATE, &error);
  if (!z) return {};
  zip_source_keep(to);
  for (const Entry& e : entries) {
    const auto at = zip_file_add(z, e.name.c_str(), zip_source_buffer(z, e.bytes.data(), e.bytes.size(), 0), ZIP_FL_ENC_UTF_8);
    if (at >= 0) zip_set_file_compression(z, zip_uint64_t(at), ZIP_CM_DEFLATE, 1);
    if (at >= 0 && !e.packed) zip_set_file_compression(z, zip_uint64_t(at), ZIP_CM_STORE, 0);
  }
  std::string out;
  if (zip_close(z) == 0 && zip_source_open(to) == 0) {
    zip_stat_t s;
    zip_source_stat(to, &s);
    out.resize(s.size);
    zip_source_read(to, out.data(), out.size());
    zip_source_close(to);
  }
  zip_source_free(to);
  return out;
}

std::string hostileZip(const std::vector<Sample>& all, Rng& rng) {
  std::vector<Entry> entries{{"recipe.json", ofKind(all, ".json", rng), below(rng, 2) == 0}};
  for (size_t n = below(rng, 4); n > 0; --n) switch (below(rng, 9)) {
    case 0: entries.push_back({any(rng, std::vector<std::string>{"../evil", "/etc/evil", "imports/../../evil", "imports/", "imports/x\ny", "cache/..", "cache/"}), "evil"}); break;
    case 1: entries.push_back({"recipe.json ", hostileRecipe(entries[0].bytes, rng)}); break;
    case 2: entries.push_back({"imports/" + recipe::hashOf("a").substr(7), below(rng, 2) ? "a" : "b"}); break;
    case 3: entries.push_back({"imports/big" + std::to_string(n), std::string(size_t(any(rng, std::vector<int>{1, 150})) << 20, '\0')}); break;
    case 4: // a kept result that nobody sealed, and one that is far too deep
      entries.push_back({"cache/" + std::string(32, 'a'), below(rng, 2) ? std::string(500000, char(0x81)) : std::string(200, char(rng()))});
      break;
    case 5: entries.push_back({"thumbnail.png", std::string(1000, char(rng()))}); break;
    case 6:
      for (int k = 0; k < 2000; ++k) entries.push_back({"imports/" + std::to_string(k), ""});
      break;
    case 7: entries.push_back({"recovery.json", any(rng, std::vector<std::string>{"{\"process\": 5}", "[[[[", "{\"journal\": \"../x.lumsk-journal\"}"})}); break;
    default: entries[0].bytes = hostileRecipe(entries[0].bytes, rng);
    }
  std::string out = zipped(entries);
  // What the directory says of an entry: sizes, sums, ways of packing, places.
  if (below(rng, 2)) {
    const size_t central = out.find("PK\x01\x02");
    if (central != std::string::npos) {
      const size_t field = any(rng, std::vector<size_t>{8, 10, 16, 20, 24, 42});
      const std::uint32_t value = any(rng, std::vector<std::uint32_t>{0, 1, 0xffffffff, 0x7fffffff, 12, 1u << 29});
      if (central + field + 4 <= out.size()) std::memcpy(&out[central + field], &value, 4);
    }
  }
  return out;
}

// Pictures -----------------------------------------------------------------------------------------------------------

void big(std::string& s, std::uint32_t v) {
  for (int k = 24; k >= 0; k -= 8) s += char(v >> k);
}
std::string chunk(const std::string& kind, const std::string& data) {
  std::string out;
  big(out, std::uint32_t(data.size()));
  const std::string body = kind + data;
  out += body;
  big(out, std::uint32_t(crc32(0, reinterpret_cast<const Bytef*>(body.data()), uInt(body.size()))));
  return out;
}
std::string deflated(const std::string& s) {
  uLongf size = compressBound(uLong(s.size()));
  std::string out(size, '\0');
  compress2(reinterpret_cast<Bytef*>(out.data()), &size, reinterpret_cast<const Bytef*>(s.data()), uLong(s.size()), 1);
  out.resize(size);
  return out;
}

Sample hostilePicture(Rng& rng) {
  const std::uint32_t side = any(rng, std::vector<std::uint32_t>{0, 1, 17, 3000, 14000, 70000, 0x7fffffff, 0xffffffff}), other = below(rng, 2) ? side : 5;
  const auto low = [](std::uint32_t v, int bytes) {
    std::string s;
    for (int k = 0; k < bytes; ++k) s += char(v >> (8 * k));
    return s;
  };
  switch (below(rng, 5)) {
  case 0: { // PNG with the size that it says, and rows for some of it
    std::string header;
    big(header, side), big(header, other);
    header += char(any(rng, std::vector<int>{8, 16, 1, 3})), header += char(any(rng, std::vector<int>{0, 2, 3, 4, 6, 7})), header += '\0', header += '\0', header += char(below(rng, 2));
    std::string out = "\x89PNG\r\n\x1a\n" + chunk("IHDR", header);
    if (below(rng, 2)) out += chunk("PLTE", std::string(3 * below(rng, 300), 'p'));
    if (below(rng, 2)) out += chunk("zTXt", "x" + std::string(2, '\0') + deflated(std::string(30 << 20, 't')));
    if (below(rng, 2)) out += chunk("iCCP", "x" + std::string(2, '\0') + deflated(std::string(20 << 20, 'c')));
    out += chunk("IDAT", deflated(std::string(any(rng, std::vector<size_t>{0, 10, 1000000, 20u << 20}), '\0')));
    if (below(rng, 3)) out += chunk("IEND", "");
    return {"p.png", out};
  }
  case 1: // JPEG: start, size, and an end without data
    return {"p.jpg", std::string("\xff\xd8\xff\xe0\0\x10JFIF\0\1\1\0\0\1\0\1\0\0", 20) + std::string(below(rng, 2) ? "\xff\xc0" : "\xff\xc2") + std::string("\0\x11\x08", 3) + char(side >> 8) + char(side) + char(other >> 8) + char(other) +
                         std::string("\3\1\x22\0\2\x11\1\3\x11\1", 10) + std::string(below(rng, 100), char(rng())) + "\xff\xd9"};
  case 2:
    return {"p.bmp", "BM" + low(100, 4) + low(0, 4) + low(54, 4) + low(40, 4) + low(side, 4) + low(other, 4) + low(1, 2) + low(any(rng, std::vector<std::uint32_t>{1, 4, 8, 24, 32, 99}), 2) + low(std::uint32_t(below(rng, 4)), 4) + std::string(20 + below(rng, 100), '\0')};
  case 3: return {"p.tga", low(0, 2) + low(any(rng, std::vector<std::uint32_t>{1, 2, 3, 10}), 1) + std::string(9, '\0') + low(side, 2) + low(other, 2) + low(any(rng, std::vector<std::uint32_t>{8, 16, 24, 32}), 1) + low(0, 1) + std::string(below(rng, 100), 'x')};
  default: return {"p.gif", "GIF89a" + low(side, 2) + low(other, 2) + std::string("\xf7\0\0", 3) + std::string(below(rng, 900), 'g') + "," + low(0, 4) + low(side, 2) + low(other, 2) + std::string("\0\x08", 2) + std::string(below(rng, 300), char(rng())) + ";"};
  }
}

// Tables -------------------------------------------------------------------------------------------------------------

std::string hostileTable(Rng& rng) {
  const size_t lines = any(rng, std::vector<size_t>{1, 2, 5, 100, 3000, 40000});
  static const std::vector<std::string> parts{"0", "1e308", "-1e308", "nan", "inf", "1e-400", "0x10", "1e6", "999999.9", "1e7", "--1", "1.5", "1,5", ".", "+3", "\xef\xbb\xbf" "1", "1e"};
  std::string out;
  const bool mild = below(rng, 2);
  for (size_t i = 0; i < lines; ++i) {
    for (int k = 0; k < 3; ++k)
      out += (mild || below(rng, 200) ? std::to_string(double(below(rng, 7)) * 13.7 * double(below(rng, 3) == 0 ? i : 1)) : any(rng, parts)) + any(rng, std::vector<std::string>{" ", " ", "\t", ";", ", "});
    if (below(rng, 300) == 0) out += any(rng, std::vector<std::string>{"#", "# \x1b[2J", "7 7 7", std::string(1, '\0'), "\r"});
    out += below(rng, 100) ? "\n" : "\n\n";
  }
  if (below(rng, 20) == 0) out += std::string(5000000, below(rng, 2) ? ' ' : '7');
  return out;
}

// STEP (ISO 10303-21): instances "#n=NAME(arguments);" -----------------------------------------------------------------

struct Instance {
  size_t from, to; ///< of its text, from # to ;
};

std::string hostileStep(std::string s, Rng& rng) {
  for (size_t n = 1 + below(rng, 5); n > 0; --n) {
    std::vector<Instance> all;
    for (size_t at = s.find("\n#"); at != std::string::npos;) {
      const size_t end = s.find(";\n", at + 1);
      if (end == std::string::npos) break;
      all.push_back({at + 1, end + 1});
      at = s.find("\n#", end);
    }
    if (all.empty()) return s;
    const Instance i = any(rng, all), j = any(rng, all);
    std::string text = s.substr(i.from, i.to - i.from);
    const std::string number = text.substr(0, text.find_first_not_of("#0123456789"));
    const auto numbers = [&](char lead) { // where a number begins, or a reference
      std::vector<size_t> out;
      for (size_t k = number.size() + 1; k < text.size(); ++k)
        if (lead == '#' ? text[k] == '#' : (text[k - 1] == '(' || text[k - 1] == ',') && (std::isdigit(static_cast<unsigned char>(text[k])) || text[k] == '-')) out.push_back(k);
      return out;
    };
    const auto replaceAt = [&](size_t at, const std::string& by) { text.replace(at, text.find_first_of(",)", at) - at, by); };
    switch (below(rng, 9)) {
    case 0:
      if (const auto at = numbers('0'); !at.empty()) replaceAt(any(rng, at), any(rng, oddNumbers()));
      break;
    case 1: // refers to something else, to itself or to nothing
      if (const auto at = numbers('#'); !at.empty()) replaceAt(any(rng, at), any(rng, std::vector<std::string>{s.substr(j.from, s.find_first_not_of("#0123456789", j.from) - j.from), number, "#999999", "$", "*"}));
      break;
    case 2: text.clear(); break;                                                                     // is missing
    case 3: text += "\n" + text; break;                                                              // stands twice
    case 4: text = number + s.substr(s.find('=', j.from), j.to - s.find('=', j.from)); break;        // is another one
    case 5:
      if (const size_t quote = text.find('\''); quote != std::string::npos) text.replace(quote + 1, text.find('\'', quote + 1) - quote - 1, any(rng, std::vector<std::string>{"", "\\X2\\202E\\X0\\", "\\X\\1B[2J", std::string(100000, 'n'), "../../x.stp"}));
      break;
    case 6: // a list of many
      if (const size_t open = text.rfind('('), close = text.find(')', open); open != std::string::npos && close != std::string::npos && close > open + 1) {
        const std::string inner = text.substr(open + 1, close - open - 1);
        std::string many = inner;
        for (int k = any(rng, std::vector<int>{1, 20, 2000}); k > 0; --k) many += "," + inner;
        text.replace(open + 1, close - open - 1, many);
      }
      break;
    case 7: text += "\n#900001=DOCUMENT_FILE('x','x',$,#900002,'',$);\n#900002=DOCUMENT_TYPE('');\n#900003=APPLIED_EXTERNAL_IDENTIFICATION_ASSIGNMENT('/etc/passwd',#900004,#900005,(#900001));\n#900004=IDENTIFICATION_ROLE('',$);\n#900005=EXTERNAL_SOURCE(IDENTIFIER(''));"; break;
    default: // flags and counts
      for (const auto& [from, to] : std::vector<std::pair<std::string, std::string>>{{".T.", ".F."}, {".UNSPECIFIED.", ".X."}})
        if (const size_t at = text.find(from); at != std::string::npos) text.replace(at, from.size(), to);
    }
    s.replace(i.from, i.to - i.from, text);
  }
  return s;
}

// BREP: numbers and counts in a fixed order ------------------------------------------------------------------------------

std::string hostileBrep(std::string s, Rng& rng) {
  for (size_t n = 1 + below(rng, 4); n > 0; --n) {
    const size_t at = s.find_first_of("0123456789", below(rng, s.size()));
    if (at == std::string::npos) continue;
    const size_t end = s.find_first_not_of("0123456789.eE+-", at);
    if (end == std::string::npos) continue;
    const bool whole = s.substr(at, end - at).find_first_of(".e") == std::string::npos;
    s.replace(at, end - at, whole ? any(rng, std::vector<std::string>{"0", "-1", "1", "2", "7", "99", "100000", "2147483647", "4294967296"}) : any(rng, std::vector<std::string>{"1e308", "-1e308", "0.0", "nan", "inf", "1e-300", "1e9", "1e5", "-3.5"}));
  }
  return s;
}

// STL ----------------------------------------------------------------------------------------------------------------

std::string hostileStl(Rng& rng) {
  const std::uint32_t triangles = std::uint32_t(any(rng, std::vector<size_t>{0, 1, 3, 12, 500, 20000}));
  const std::uint32_t told = below(rng, 3) ? triangles : any(rng, std::vector<std::uint32_t>{0, 1, 0xffffffff, 0x7fffffff, triangles + 1});
  static const std::vector<float> odd{0.0f, 1e38f, -1e38f, 1e-38f, 1.0f, 1e6f, 1e9f};
  if (below(rng, 3) == 0) {
    std::string out = "solid " + any(rng, oddTexts()) + "\n";
    for (std::uint32_t i = 0; i < std::min(triangles, 2000u); ++i) {
      out += "facet normal 0 0 1\nouter loop\n";
      for (int k = 0; k < 3 + int(below(rng, 50) == 0); ++k) out += "vertex " + any(rng, std::vector<std::string>{"0 0 0", "1 0 0", "1e39 0 0", "nan 0 0", "0 1", "1 2 3 4", "0 0 1e-45", "5 5 5"}) + "\n";
      out += "endloop\nendfacet\n";
    }
    return out + (below(rng, 4) ? "endsolid\n" : "");
  }
  std::string out(80, below(rng, 4) ? ' ' : 's');
  out.append(reinterpret_cast<const char*>(&told), 4);
  for (std::uint32_t i = 0; i < triangles; ++i) {
    for (int k = 0; k < 12; ++k) {
      std::uint32_t bits = std::uint32_t(rng());
      float v = below(rng, 40) ? float(below(rng, 9)) : any(rng, odd);
      if (below(rng, 3000) == 0) std::memcpy(&v, &bits, 4); // any of them, also none
      out.append(reinterpret_cast<const char*>(&v), 4);
    }
    out.append(2, '\0');
  }
  return out;
}

} // namespace

Sample hostileFile(const std::vector<Sample>& samples, Rng& rng) {
  switch (below(rng, 8)) {
  case 0: return {"hostile.json", hostileRecipe(ofKind(samples, ".json", rng), rng)};
  case 1: return {"hostile.lumsk", hostileZip(samples, rng)};
  case 2: return hostilePicture(rng);
  case 3: return {"hostile.txt", hostileTable(rng)};
  case 4:
  case 5: return {"hostile.step", hostileStep(ofKind(samples, ".step", rng), rng)};
  case 6: return {"hostile.brep", hostileBrep(ofKind(samples, ".brep", rng), rng)};
  default: return {"hostile.stl", hostileStl(rng)};
  }
}

} // namespace lumsk::test
