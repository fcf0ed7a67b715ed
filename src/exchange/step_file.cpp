#include "exchange/step_file.h"

#include "brep/foreign.h"
#include "brep/guard.h"
#include "exchange/files.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <Interface_Static.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Writer.hxx>
#include <STEPControl_Controller.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopoDS_Compound.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <filesystem>
#include <fstream>
#include <mutex>

namespace lumsk::exchange {

namespace {

std::mutex& stepLock() {
  static std::mutex m; // the kernel's STEP writer has global state
  return m;
}

std::string nameOf(const std::string& path) { return std::filesystem::path(path).filename().string(); }

Problem cannot(const std::string& path) {
  return problem("LM-F022", "'" + nameOf(path) + "' cannot be written")
      .tryThis("choose another folder or make room on the disk");
}

Quantity_Color colourOf(const std::string& hex) {
  unsigned r = 232, g = 226, b = 214;
  if (hex.size() == 7) std::sscanf(hex.c_str(), "#%2x%2x%2x", &r, &g, &b);
  return Quantity_Color(r / 255.0, g / 255.0, b / 255.0, Quantity_TOC_sRGB);
}

} // namespace

Expected<void> writeStep(const std::string& path, const std::vector<recipe::BodyEntry>& bodies) {
  const std::lock_guard lock(stepLock());
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STEP", [&]() -> Expected<void> {
      Handle(TDocStd_Document) doc = new TDocStd_Document("XmlXCAF");
      const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
      const Handle(XCAFDoc_ColorTool) colours = XCAFDoc_DocumentTool::ColorTool(doc->Main());
      for (const auto& b : bodies) {
        const TDF_Label label = shapes->AddShape(b.body->shape, false);
        TDataStd_Name::Set(label, TCollection_ExtendedString(b.label.c_str(), true));
        colours->SetColor(label, colourOf(b.colour), XCAFDoc_ColorSurf);
      }
      STEPCAFControl_Writer writer;
      Interface_Static::SetCVal("write.step.schema", "AP214IS");
      Interface_Static::SetCVal("write.step.unit", "MM");
      writer.SetNameMode(true);
      writer.SetColorMode(true);
      if (!writer.Transfer(doc, STEPControl_AsIs))
        return fail(problem("LM-F033", "the bodies cannot be written as STEP"));
      if (writer.Write(temporary.c_str()) != IFSelect_RetDone) return fail(cannot(path));
      return {};
    });
  });
}

Expected<void> writeBrep(const std::string& path, const std::vector<recipe::BodyEntry>& bodies) {
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing BREP", [&]() -> Expected<void> {
      TopoDS_Compound all;
      BRep_Builder builder;
      builder.MakeCompound(all);
      for (const auto& b : bodies) builder.Add(all, b.body->shape);
      std::ofstream out(temporary, std::ios::binary);
      BRepTools::Write(bodies.size() == 1 ? bodies[0].body->shape : TopoDS_Shape(all), out);
      out.close();
      if (!out) return fail(cannot(path));
      return {};
    });
  });
}

bool holdsBodies(const std::string& path) {
  const std::string ending = extensionOf(path);
  return ending == ".step" || ending == ".stp" || ending == ".brep" || ending == ".brp";
}

Expected<std::vector<recipe::BodyEntry>> readBodies(const std::string& path) {
  LUMSK_TRY(bytes, readFile(path));
  LUMSK_TRY(read,
            brep::readForeign(bytes, {brep::LengthUnit::FromFile, nameOf(path), recipe::hashOf(bytes).substr(7)}, {}));
  std::vector<recipe::BodyEntry> out;
  const std::string file = std::filesystem::path(path).stem().string();
  for (auto& part : read.parts) {
    const std::string number = std::to_string(out.size() + 1);
    recipe::BodyEntry e;
    e.id = "b" + number;
    e.label = part.label.empty() ? file + " " + number : part.label;
    e.colour = part.colour;
    e.body = std::move(part.body);
    out.push_back(std::move(e));
  }
  return out;
}

} // namespace lumsk::exchange
