#include "exchange/step_file.h"

namespace lumsk::exchange {

namespace formats_ {
Format step();
}

Format formats_::step() {
  Format f{"step", "STEP: all bodies for the toolmaker", {".step", ".stp"}, Form::Exact, Carries::all(), nullptr, readForeignBodies};
  f.write = [](const std::string& path, const Contents& contents) { return writeStepFile(path, contents, "AP214IS"); };
  return f;
}

} // namespace lumsk::exchange
