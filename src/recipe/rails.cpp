#include "recipe/rails.h"

#include <algorithm>
#include <cmath>

namespace lumsk::recipe {

using nlohmann::json;

RailRow railRow(const std::string& id) {
  const size_t dot = id.find('.');
  return {id.substr(0, dot), dot == std::string::npos ? std::string() : id.substr(dot + 1)};
}

std::string railRowId(const RailRow& row) { return row.line + "." + row.item; }

std::string newRailRow(const json& rows, const std::string& item) {
  int n = 1;
  const auto used = [&](const json& r) {
    return railRow(r.value("id", std::string())).line == "p" + std::to_string(n);
  };
  while (std::any_of(rows.begin(), rows.end(), used)) ++n;
  return railRowId({"p" + std::to_string(n), item});
}

json withRailPlace(json rows, const std::string& id, double fraction) {
  const double at = std::round(fraction * 1e4) / 1e4;
  const auto row = std::find_if(rows.begin(), rows.end(), [&](const json& r) { return r.value("id", "") == id; });
  if (row != rows.end())
    (*row)["at"] = at;
  else
    rows.push_back({{"id", id}, {"at", at}});
  return rows;
}

} // namespace lumsk::recipe
