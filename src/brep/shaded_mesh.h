#pragma once
#include "brep/mesh.h"

namespace lumsk::brep {

/// The triangles of `exportMesh` with the surfaces' own normals: a point for every face that meets in it. Of skins and
/// solids. Fails as that does.
Expected<FaceMesh> shadedMesh(const Body& b, const MeshLimits& limits, const Context& cx);

} // namespace lumsk::brep
