#include "exchange/files.h"
#include "exchange/written_mesh.h"

namespace lumsk::exchange {

namespace formats_ {
Format gltf();
}

namespace {

/// glTF 2.0 in one binary file, in metres with y up as the standard has it: a node a body, with normals and colours.
Expected<void> writeGltf(const std::string& path, const Contents& contents) {
  MeshFileOptions o{"glb2"};
  o.metresYUp = true;
  LUMSK_TRY(bytes, writtenMeshes(contents, o));
  return replaceFile(path, bytes);
}

} // namespace

Format formats_::gltf() {
  Format f{"gltf", "glTF: coloured meshes for pages and viewers", {".glb"}, Form::ShadedMesh, {}, writeGltf};
  f.carries.names = f.carries.parts = f.carries.colours = f.carries.unit = true;
  return f;
}

} // namespace lumsk::exchange
