#include "brep/foreign_files.h"

#include "brep/guard.h"
#include "brep/memory_file.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <IGESCAFControl_Reader.hxx>
#include <IGESData_IGESModel.hxx>
#include <Interface_Static.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <STEPControl_Reader.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TDF_LabelSequence.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <fmt/format.h>
#include <sstream>

namespace lumsk::brep {

namespace {

Problem broken(const std::string& name, const std::string& why) {
  return problem("LM-I002", "'" + name + "' cannot be read: " + why).tryThis("export it again, as STEP");
}

/// The pieces of a document, by its assemblies.
class DocumentPieces {
public:
  explicit DocumentPieces(const Handle(TDocStd_Document)& doc)
      : shapes_(XCAFDoc_DocumentTool::ShapeTool(doc->Main())), colours_(XCAFDoc_DocumentTool::ColorTool(doc->Main())) {}

  std::vector<ForeignPiece> run() {
    TDF_LabelSequence free;
    shapes_->GetFreeShapes(free);
    for (int i = 1; i <= free.Length(); ++i) walk(free(i), TopLoc_Location(), "", "");
    return std::move(out_);
  }

private:
  static std::string nameOf(const TDF_Label& l) {
    Handle(TDataStd_Name) name;
    if (!l.FindAttribute(TDataStd_Name::GetID(), name)) return {};
    std::string out(size_t(name->Get().LengthOfCString()) + 1, '\0');
    Standard_PCharacter p = out.data();
    out.resize(size_t(name->Get().ToUTF8CString(p)));
    return out;
  }

  std::string colourOf(const TDF_Label& l, const std::string& inherited) const {
    Quantity_Color c;
    if (!colours_->GetColor(l, XCAFDoc_ColorSurf, c) && !colours_->GetColor(l, XCAFDoc_ColorGen, c)) return inherited;
    double r, g, b;
    c.Values(r, g, b, Quantity_TOC_sRGB);
    return fmt::format("#{:02x}{:02x}{:02x}", int(r * 255 + 0.5), int(g * 255 + 0.5), int(b * 255 + 0.5));
  }

  void walk(const TDF_Label& l, const TopLoc_Location& place, const std::string& name, const std::string& colour) {
    if (XCAFDoc_ShapeTool::IsAssembly(l)) {
      TDF_LabelSequence parts;
      XCAFDoc_ShapeTool::GetComponents(l, parts);
      for (int i = 1; i <= parts.Length(); ++i) {
        TDF_Label of;
        if (XCAFDoc_ShapeTool::GetReferredShape(parts(i), of))
          walk(of, place * XCAFDoc_ShapeTool::GetLocation(parts(i)), nameOf(of),
               colourOf(parts(i), colourOf(of, colour)));
      }
      return;
    }
    const std::string own = nameOf(l);
    out_.push_back({XCAFDoc_ShapeTool::GetShape(l).Moved(place), own.empty() ? name : own, colourOf(l, colour)});
  }

  Handle(XCAFDoc_ShapeTool) shapes_;
  Handle(XCAFDoc_ColorTool) colours_;
  std::vector<ForeignPiece> out_;
};

Expected<void> checkStepFrame(const std::string& bytes, const std::string& name) {
  const auto start = bytes.find_first_not_of(" \t\r\n\xef\xbb\xbf");
  if (start == std::string::npos || bytes.compare(start, 12, "ISO-10303-21") != 0)
    return fail(broken(name, "it is not a STEP file"));
  const auto tail = bytes.size() > 4096 ? bytes.size() - 4096 : 0;
  if (bytes.find("END-ISO-10303-21", tail) == std::string::npos)
    return fail(broken(name, "it is cut off, its end is missing"));
  return {};
}

/// Lines of 80 signs whose 73rd tells the section: the start has S, the last one T.
Expected<void> checkIgesFrame(const std::string& bytes, const std::string& name) {
  constexpr size_t kSection = 72;
  const auto first = bytes.find_first_of("\r\n");
  if (first == std::string::npos || first <= kSection || (bytes[kSection] != 'S' && bytes[kSection] != 'G' && bytes[kSection] != 'C'))
    return fail(broken(name, "it is not an IGES file"));
  const auto end = bytes.find_last_not_of(" \t\r\n");
  const auto line = bytes.find_last_of("\r\n", end) + 1;
  if (end < line + kSection || bytes[line + kSection] != 'T') return fail(broken(name, "it is cut off, its end is missing"));
  return {};
}

template <class Reader> ForeignContent transferred(Reader& reader, const Context& cx) {
  reader.SetNameMode(true);
  reader.SetColorMode(true);
  Handle(TDocStd_Document) doc = new TDocStd_Document("XmlXCAF");
  cx.report(0.4, "building");
  Handle(KernelProgress) progress = new KernelProgress(cx);
  reader.Transfer(doc, progress->Start());
  ForeignContent out;
  out.pieces = DocumentPieces(doc).run();
  return out;
}

} // namespace

Expected<ForeignContent> stepContent(const std::string& bytes, const std::string& name, const Context& cx) {
  LUMSK_CHECK(checkStepFrame(bytes, name));
  Interface_Static::SetCVal("xstep.cascade.unit", "MM");
  STEPCAFControl_Reader reader;
  std::istringstream in(bytes);
  cx.report(0.1, "reading");
  if (reader.ChangeReader().ReadStream(name.c_str(), in) != IFSelect_RetDone)
    return fail(broken(name, "it does not follow the format"));
  TColStd_SequenceOfAsciiString lengths, angles, solidAngles;
  reader.ChangeReader().FileUnits(lengths, angles, solidAngles);
  const int roots = reader.NbRootsForTransfer();
  ForeignContent out = transferred(reader, cx);
  if (!lengths.IsEmpty()) out.unit = lengths.First().ToCString();
  out.namesOthers = bytes.find("DOCUMENT_FILE(") != std::string::npos;
  out.roots = roots;
  out.unread = std::max(0, roots - reader.ChangeReader().NbShapes());
  return out;
}

Expected<ForeignContent> igesContent(const std::string& bytes, const std::string& name, const Context& cx) {
  LUMSK_CHECK(checkIgesFrame(bytes, name));
  Interface_Static::SetCVal("xstep.cascade.unit", "MM");
  MemoryFile file("lumsk-iges"); // this reader takes no stream
  if (!file.write(bytes.data(), bytes.size())) return fail(broken(name, "there is no memory for it"));
  IGESCAFControl_Reader reader;
  cx.report(0.1, "reading");
  if (reader.ReadFile(file.path().c_str()) != IFSelect_RetDone) return fail(broken(name, "it does not follow the format"));
  const auto model = Handle(IGESData_IGESModel)::DownCast(reader.Model());
  const int roots = reader.NbRootsForTransfer();
  ForeignContent out = transferred(reader, cx);
  // By the flags of the standard's global section.
  static const char* const kUnits[] = {"", "inch", "millimetre", "", "foot", "mile", "metre", "kilometre", "mil", "micrometre", "centimetre", ""};
  if (!model.IsNull())
    if (const int flag = model->GlobalSection().UnitFlag(); flag > 0 && flag < 12) out.unit = kUnits[flag];
  out.roots = roots;
  out.unread = std::max(0, roots - reader.NbShapes());
  return out;
}

Expected<ForeignContent> brepContent(const std::string& bytes, const std::string& name) {
  if (bytes.find("CASCADE Topology") == std::string::npos && bytes.find("DBRep_DrawableShape") == std::string::npos)
    return fail(broken(name, "it is not a BREP file"));
  std::istringstream in(bytes);
  TopoDS_Shape shape;
  BRep_Builder builder;
  BRepTools::Read(shape, in, builder);
  if (shape.IsNull()) return fail(broken(name, "it is cut off or does not follow the format"));
  return ForeignContent{{{shape, "", ""}}, "", false, 1, 0};
}

} // namespace lumsk::brep
