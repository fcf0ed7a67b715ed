#include "exchange/stl_file.h"

namespace lumsk::exchange {

namespace formats_ {
Format stl_text();
}

Format formats_::stl_text() {
  Format f{"stl-text", "STL as text: solids as a mesh", {".stl"}, Form::ClosedMesh, {}, nullptr, nullptr, readStlFile};
  f.carries.skins = false;
  f.write = [](const std::string& path, const Contents& contents) { return writeStlFile(path, contents, true); };
  return f;
}

} // namespace lumsk::exchange
