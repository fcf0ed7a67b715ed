#include "exchange/document.h"

#include "brep/convert.h"

#include <Quantity_Color.hxx>
#include <TDataStd_Name.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

namespace lumsk::exchange {

namespace {

Quantity_Color colourOf(const std::string& hex) {
  const auto [r, g, b] = rgbOf(hex);
  return Quantity_Color(r / 255.0, g / 255.0, b / 255.0, Quantity_TOC_sRGB);
}

} // namespace

std::mutex& writersLock() {
  static std::mutex m;
  return m;
}

Handle(TDocStd_Document) documentOf(const Contents& contents) {
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
  return doc;
}

} // namespace lumsk::exchange
