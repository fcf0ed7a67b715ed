#include "exchange/stl_file.h"

namespace lumsk::exchange {

namespace formats_ {
Format stl();
}

Format formats_::stl() {
  Format f{"stl", "STL: solids as a mesh", {".stl"}, Form::ClosedMesh, {}, nullptr, nullptr, readStlFile};
  f.carries.skins = false;
  f.write = [](const std::string& path, const Contents& contents) { return writeStlFile(path, contents, false); };
  return f;
}

} // namespace lumsk::exchange
