#pragma once
#include "base/context.h"
#include "brep/mesh.h"

namespace lumsk::brep {

/// Triangles of an STL file, text or binary, points within a millionth of its size made one, lengths times `scale`.
/// Runs in `lumsk-worker`. Fails with LM-F031 (not a whole STL file) or as `runInWorker` does.
Expected<SolidMesh> readForeignMesh(const std::string& bytes, const std::string& name, double scale, const Context& cx);

/// The same within this process: what the worker does.
Expected<SolidMesh> readMeshHere(const std::string& bytes, const std::string& name, double scale, const Context& cx);

/// A mesh for the eye: normals are smooth up to `creaseDeg`; edges that are sharper or open come as lines.
struct ShownMesh {
  FaceMesh mesh;
  std::vector<std::vector<Vec3>> edges;
};
ShownMesh shownMesh(const SolidMesh& m, double creaseDeg);

} // namespace lumsk::brep
