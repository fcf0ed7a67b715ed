#pragma once
#include "exchange/format.h"

namespace lumsk::exchange {

/// STEP in millimetres with names and colours of bodies by one of the standard's application protocols, as the kernel
/// calls it: "AP214IS". Fails with LM-F033, LM-F022.
Expected<void> writeStepFile(const std::string& path, const Contents& contents, const char* protocol);

} // namespace lumsk::exchange
