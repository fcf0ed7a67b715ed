#include "exchange/files.h"
#include "exchange/paper.h"

namespace lumsk::exchange {

namespace formats_ {
Format dxf();
}

Format formats_::dxf() {
  Format f{"dxf", "DXF: curves and outlines from one side", {".dxf"}, Form::PlaneLines, {}};
  f.carries.curves = f.carries.unit = true;
  f.write = [](const std::string& path, const Contents& contents) { return replaceFile(path, drawing::toDxf(layersOf(contents), kPaperFitMm)); };
  return f;
}

} // namespace lumsk::exchange
