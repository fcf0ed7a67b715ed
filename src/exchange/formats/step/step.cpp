#include "brep/guard.h"
#include "exchange/document.h"
#include "exchange/files.h"

#include <Interface_Static.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <STEPControl_Controller.hxx>

namespace lumsk::exchange {

namespace formats_ {
Format step();
}

namespace {

/// STEP AP214 in millimetres with names and colours of bodies.
Expected<void> writeStep(const std::string& path, const Contents& contents) {
  const std::lock_guard lock(writersLock());
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STEP", [&]() -> Expected<void> {
      STEPCAFControl_Writer writer;
      Interface_Static::SetCVal("write.step.schema", "AP214IS");
      Interface_Static::SetCVal("write.step.unit", "MM");
      writer.SetNameMode(true);
      writer.SetColorMode(true);
      if (!writer.Transfer(documentOf(contents), STEPControl_AsIs))
        return fail(problem("LM-F033", "the forms cannot be written as STEP").tryThis("export BREP, or fewer bodies at once"));
      if (writer.Write(temporary.c_str()) != IFSelect_RetDone) return fail(cannotWrite(path));
      return {};
    });
  });
}

} // namespace

Format formats_::step() {
  return {"step", "STEP: all bodies for the toolmaker", {".step", ".stp"}, false, true, writeStep, readForeignBodies};
}

} // namespace lumsk::exchange
