#pragma once
#include "recipe/model.h"

namespace lumsk::exchange {

/// STEP AP214 in millimetres with names and colours of bodies. Fails with LM-F022.
Expected<void> writeStep(const std::string& path, const std::vector<recipe::BodyEntry>& bodies);
/// The kernel's own format. Fails with LM-F022.
Expected<void> writeBrep(const std::string& path, const std::vector<recipe::BodyEntry>& bodies);

/// By its ending: .step .stp .brep .brp
bool holdsBodies(const std::string& path);
/// Bodies of a STEP or BREP file, in mm, read by `lumsk-worker`. Fails as `readFile` and `brep::readForeign` do.
Expected<std::vector<recipe::BodyEntry>> readBodies(const std::string& path);

} // namespace lumsk::exchange
