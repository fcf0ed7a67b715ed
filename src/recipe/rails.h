#pragma once
#include <nlohmann/json.hpp>
#include <string>

namespace lumsk::recipe {

// Rows of a table field that hold places on rails. A row is called by its line and by the item of the pick whose curve
// it lies on, "p1.i3"; its column "at" is the fraction of that curve's length.

struct RailRow {
  std::string line, item;
};
RailRow railRow(const std::string& id); ///< no item where there is no dot
std::string railRowId(const RailRow& row);
/// The id of the first row of a new line.
std::string newRailRow(const nlohmann::json& rows, const std::string& item);
/// The rows with the place of one of them, which is added when it is not there.
nlohmann::json withRailPlace(nlohmann::json rows, const std::string& id, double fraction);

} // namespace lumsk::recipe
