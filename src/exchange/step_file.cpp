#include "exchange/step_file.h"

#include "brep/guard.h"
#include "exchange/document.h"
#include "exchange/files.h"

#include <Interface_Static.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <STEPControl_Controller.hxx>

namespace lumsk::exchange {

Expected<void> writeStepFile(const std::string& path, const Contents& contents, const char* protocol) {
  const std::lock_guard lock(writersLock());
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STEP", [&]() -> Expected<void> {
      STEPControl_Controller::Init(); // it sets a protocol of its own
      Interface_Static::SetCVal("write.step.schema", protocol);
      Interface_Static::SetCVal("write.step.unit", "MM");
      STEPCAFControl_Writer writer;
      writer.SetNameMode(true);
      writer.SetColorMode(true);
      if (!writer.Transfer(documentOf(contents), STEPControl_AsIs))
        return fail(problem("LM-F033", "the forms cannot be written as STEP").tryThis("export BREP, or fewer bodies at once"));
      if (writer.Write(temporary.c_str()) != IFSelect_RetDone) return fail(cannotWrite(path));
      return {};
    });
  });
}

} // namespace lumsk::exchange
