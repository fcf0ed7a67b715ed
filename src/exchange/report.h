#pragma once
#include "recipe/model.h"

#include <nlohmann/json_fwd.hpp>

namespace lumsk::exchange {

/// The report of docs/command-line.md: states of steps and bodies, measured by `inspect`.
nlohmann::json reportOf(const recipe::Model& model);
nlohmann::json reportOf(const recipe::BodyEntry& body, const Tolerances& tol);

} // namespace lumsk::exchange
