#include "exchange/files.h"
#include "exchange/written_mesh.h"

namespace lumsk::exchange {

namespace formats_ {
Format obj();
}

namespace {

/// Text in millimetres, z up: an object a body, with normals; no file of materials beside it.
Expected<void> writeObj(const std::string& path, const Contents& contents) {
  LUMSK_TRY(bytes, writtenMeshes(contents, {"objnomtl"}));
  return replaceFile(path, bytes);
}

} // namespace

Format formats_::obj() {
  Format f{"obj", "OBJ: meshes for picture programs", {".obj"}, Form::ShadedMesh, {}, writeObj};
  f.carries.names = f.carries.parts = true;
  return f;
}

} // namespace lumsk::exchange
