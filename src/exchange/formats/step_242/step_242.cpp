#include "exchange/step_file.h"

namespace lumsk::exchange {

namespace formats_ {
Format step_242();
}

Format formats_::step_242() {
  Format f{"step-242", "STEP AP242: all bodies by the newer protocol", {".step", ".stp"}, Form::Exact, Carries::all(), nullptr, readForeignBodies};
  f.write = [](const std::string& path, const Contents& contents) { return writeStepFile(path, contents, "AP242DIS"); };
  return f;
}

} // namespace lumsk::exchange
