#pragma once
#include "recipe/model.h"

namespace lumsk::exchange {

/// Results that are kept in a project file, by evaluation key, so that opening it need not compute them again.
using Outcomes = std::map<std::string, recipe::OutcomePtr>;

/// Those of a model that took long to compute, that hold bodies and that are good, slowest first up to 64 MB.
Outcomes worthKeeping(const recipe::Model& model);

/// One outcome as bytes (CBOR): names, notes and marks, shapes in the kernel's binary format. Fails with LM-K001.
Expected<std::string> packOutcome(const recipe::Outcome& o);

/// Of bytes that `packOutcome` wrote, as their seal says: the kernel's reader trusts them. Fails with LM-F005 where the shape
/// does not fit its names or something is missing.
Expected<recipe::Outcome> unpackOutcome(const std::string& bytes);

} // namespace lumsk::exchange
