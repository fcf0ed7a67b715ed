#pragma once
#include "recipe/recipe.h"

#include <nlohmann/json.hpp>

namespace lumsk::recipe {

/// What `toText` writes and `fromText` reads, as data. Fails with LM-F002 or LM-F003.
nlohmann::json asJson(const Recipe& r);
Expected<Recipe> fromJson(const nlohmann::json& j);

/// JSON of a text that nobody vouches for: nothing where it is damaged, nested more deeply than what reads it can bear,
/// or holds more values than anybody made (`kMostValues`). `why` is told then.
constexpr size_t kMostValues = 4'000'000, kMostSteps = 10'000, kMostNumbers = 10'000;
std::optional<nlohmann::json> parsedSafely(const std::string& text, std::string* why = nullptr);

} // namespace lumsk::recipe
