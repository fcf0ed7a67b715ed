#include "recipe/point_table.h"

#include <charconv>

namespace lumsk::recipe {

namespace {
Expected<Vec3> readLine(std::string_view s, int number) {
  double v[3];
  int n = 0;
  size_t i = 0;
  const auto bad = [&](const std::string& why) {
    return fail(
        problem("LM-F010", "line " + std::to_string(number) + " of the table " + why).tryThis("write x y z in mm"));
  };
  while (i < s.size()) {
    if (s[i] == ' ' || s[i] == '\t' || s[i] == ',' || s[i] == ';' || s[i] == '\r') {
      ++i;
      continue;
    }
    if (n == 3) return bad("has more than three numbers");
    const auto r = std::from_chars(s.data() + i + (s[i] == '+'), s.data() + s.size(), v[n]);
    if (r.ec != std::errc()) return bad("has something that is not a number");
    i = size_t(r.ptr - s.data());
    if (i < s.size() && std::string_view(" \t,;\r").find(s[i]) == std::string_view::npos)
      return bad("has something that is not a number");
    ++n;
  }
  if (n != 3) return bad("needs three numbers");
  const Vec3 p(v[0], v[1], v[2]);
  if (!usable(p)) return bad("is not a usable place");
  return p;
}
} // namespace

Expected<std::vector<Points>> readPointTable(const std::string& text) {
  std::vector<std::vector<Vec3>> curves(1);
  size_t total = 0;
  int number = 0;
  for (size_t at = 0; at <= text.size();) {
    const size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line(text.data() + at, end - at);
    at = end + 1;
    ++number;
    const bool comment = line.find('#') != std::string_view::npos;
    if (comment) line = line.substr(0, line.find('#'));
    if (line.find_first_not_of(" \t\r") == std::string_view::npos) {
      if (!comment && !curves.back().empty()) curves.emplace_back();
      continue;
    }
    LUMSK_TRY(p, readLine(line, number));
    curves.back().push_back(p);
    if (++total > 1000000)
      return fail(problem("LM-F012", "the table has more than a million points").tryThis("thin it out"));
  }
  if (curves.back().empty()) curves.pop_back();
  if (curves.empty()) return fail(problem("LM-F011", "the table has no points").tryThis("choose another file"));
  std::vector<Points> out;
  for (const auto& c : curves) {
    Points p(Eigen::Index(c.size()), 3);
    for (size_t i = 0; i < c.size(); ++i) p.row(Eigen::Index(i)) = c[i].transpose();
    out.push_back(std::move(p));
  }
  return out;
}

} // namespace lumsk::recipe
