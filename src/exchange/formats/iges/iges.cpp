#include "brep/guard.h"
#include "exchange/document.h"
#include "exchange/files.h"

#include <IGESCAFControl_Writer.hxx>
#include <IGESControl_Controller.hxx>
#include <Interface_Static.hxx>

#include <sstream>

namespace lumsk::exchange {

namespace formats_ {
Format iges();
}

namespace {

/// IGES 5.3 in millimetres with names and colours; solids stay solids.
Expected<void> writeIges(const std::string& path, const Contents& contents) {
  const std::lock_guard lock(writersLock());
  LUMSK_TRY(bytes, brep::guarded("writing IGES", [&]() -> Expected<std::string> {
              IGESControl_Controller::Init();
              Interface_Static::SetCVal("write.iges.unit", "MM");
              Interface_Static::SetIVal("write.iges.brep.mode", 1);
              IGESCAFControl_Writer writer;
              writer.SetNameMode(true);
              writer.SetColorMode(true);
              std::ostringstream out;
              if (!writer.Transfer(documentOf(contents)) || !writer.Write(out))
                return fail(problem("LM-F033", "the forms cannot be written as IGES").tryThis("export STEP or BREP, or fewer bodies at once"));
              return out.str();
            }));
  return replaceFile(path, bytes);
}

} // namespace

Format formats_::iges() {
  return {"iges", "IGES: all bodies for older programs", {".igs", ".iges"}, Form::Exact, Carries::all(), writeIges, readForeignBodies};
}

} // namespace lumsk::exchange
