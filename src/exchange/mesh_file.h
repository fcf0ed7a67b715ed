#pragma once
#include "brep/mesh.h"

namespace lumsk::exchange {

struct NamedMesh {
  std::string name;
  brep::SolidMesh mesh;
};

/// Binary STL, all meshes in one. Fails with LM-F022.
Expected<void> writeStl(const std::string& path, const std::vector<NamedMesh>& meshes);
/// 3MF in millimetres, one named object a mesh. Fails with LM-F022 or LM-F030 (a mesh is not closed).
Expected<void> write3mf(const std::string& path, const std::vector<NamedMesh>& meshes);
/// Triangles of an STL file, text or binary, welded. Fails with LM-F031.
Expected<brep::SolidMesh> readStl(const std::string& path);

} // namespace lumsk::exchange
