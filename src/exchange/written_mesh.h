#pragma once
#include "exchange/format.h"

namespace lumsk::exchange {

/// How meshes are handed over to the library that writes formats of triangles.
struct MeshFileOptions {
  const char* format; ///< as the library calls it: "glb2"
  bool apart = true;  ///< one object a body, by its name; else all in one
  bool metresYUp = false; ///< as glTF has it; else mm, z up
};
/// The bytes of a file of shaded meshes. Fails with LM-F022 when the library refuses.
Expected<std::string> writtenMeshes(const Contents& contents, const MeshFileOptions& options);

} // namespace lumsk::exchange
