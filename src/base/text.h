#pragma once
#include <string>

namespace lumsk {

/// UTF-8 on one line without anything that steers what shows it: control characters and those that turn the direction of
/// writing become spaces. For texts that files bring along.
std::string oneLine(std::string text);

} // namespace lumsk
