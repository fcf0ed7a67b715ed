#include "exchange/files.h"
#include "exchange/paper.h"

namespace lumsk::exchange {

namespace formats_ {
Format svg();
}

Format formats_::svg() {
  Format f{"svg", "SVG: curves and outlines from one side", {".svg"}, Form::PlaneLines, {}};
  f.carries.curves = f.carries.unit = true;
  f.write = [](const std::string& path, const Contents& contents) { return replaceFile(path, drawing::toSvg(layersOf(contents), kPaperFitMm)); };
  return f;
}

} // namespace lumsk::exchange
