#pragma once
#include "recipe/step.h"

#include <functional>

namespace lumsk::steps {

/// A graph field as a smooth function, level before its first row and after its last one; empty without rows. Fails
/// with LM-P025 where two rows are at one place.
Expected<std::function<double(double)>> graphOf(const recipe::Inputs& in, const std::string& key);

} // namespace lumsk::steps
