#pragma once
#include "recipe/step.h"

namespace lumsk::steps {

/// All steps that this program knows.
const recipe::Registry& registry();

} // namespace lumsk::steps
