#include "brep/convert.h"
#include "brep/guard.h"
#include "exchange/files.h"
#include "exchange/format.h"

#include <Interface_Static.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <STEPControl_Controller.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <mutex>

namespace lumsk::exchange {

namespace formats_ {
Format step();
}

namespace {

std::mutex& stepLock() {
  static std::mutex m; // the kernel's STEP writer has global state
  return m;
}

Quantity_Color colourOf(const std::string& hex) {
  unsigned r = 232, g = 226, b = 214;
  if (hex.size() == 7) std::sscanf(hex.c_str(), "#%2x%2x%2x", &r, &g, &b);
  return Quantity_Color(r / 255.0, g / 255.0, b / 255.0, Quantity_TOC_sRGB);
}

/// STEP AP214 in millimetres with names and colours of bodies.
Expected<void> writeStep(const std::string& path, const Contents& contents) {
  const std::lock_guard lock(stepLock());
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STEP", [&]() -> Expected<void> {
      Handle(TDocStd_Document) doc = new TDocStd_Document("XmlXCAF");
      const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
      const Handle(XCAFDoc_ColorTool) colours = XCAFDoc_DocumentTool::ColorTool(doc->Main());
      for (const auto& b : contents.bodies) {
        const TDF_Label label = shapes->AddShape(b.body->shape, false);
        TDataStd_Name::Set(label, TCollection_ExtendedString(b.label.c_str(), true));
        colours->SetColor(label, colourOf(b.colour), XCAFDoc_ColorSurf);
      }
      for (const NamedCurve& c : contents.curves) {
        const TDF_Label label = shapes->AddShape(brep::toWire(*c.curve), false);
        TDataStd_Name::Set(label, TCollection_ExtendedString(c.name.c_str(), true));
      }
      STEPCAFControl_Writer writer;
      Interface_Static::SetCVal("write.step.schema", "AP214IS");
      Interface_Static::SetCVal("write.step.unit", "MM");
      writer.SetNameMode(true);
      writer.SetColorMode(true);
      if (!writer.Transfer(doc, STEPControl_AsIs))
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
