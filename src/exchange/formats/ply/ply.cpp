#include "exchange/files.h"
#include "exchange/written_mesh.h"

namespace lumsk::exchange {

namespace formats_ {
Format ply();
}

namespace {

/// Binary, in millimetres: all bodies as one mesh with normals.
Expected<void> writePly(const std::string& path, const Contents& contents) {
  MeshFileOptions o{"plyb"};
  o.apart = false;
  LUMSK_TRY(bytes, writtenMeshes(contents, o));
  return replaceFile(path, bytes);
}

} // namespace

Format formats_::ply() { return {"ply", "PLY: one mesh for measuring programs", {".ply"}, Form::ShadedMesh, {}, writePly}; }

} // namespace lumsk::exchange
