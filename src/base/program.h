#pragma once
#include <string>

namespace lumsk {

/// A program that belongs to this one: beside it, in the folder above, where the tests of a build stand, or where it is installed. Empty:
/// there is none.
std::string programBeside(const std::string& name);

} // namespace lumsk
