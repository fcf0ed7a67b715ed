#include "bureau/parts.h"

#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <limits>
#include <map>

namespace lumsk::bureau {

namespace {

/// Takes what hangs below a node, each mesh where its nodes put it.
void take(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above, std::vector<Part>& parts) {
  const aiMatrix4x4 here = above * node.mTransformation;
  for (unsigned k = 0; k < node.mNumMeshes; ++k) {
    const aiMesh& mesh = *scene.mMeshes[node.mMeshes[k]];
    Part part;
    part.number = int(parts.size()) + 1;
    std::map<std::array<float, 3>, int> known;
    std::vector<int> of(mesh.mNumVertices);
    for (unsigned v = 0; v < mesh.mNumVertices; ++v) {
      const aiVector3D p = here * mesh.mVertices[v];
      const auto [at, isNew] = known.try_emplace({p.x, p.y, p.z}, int(part.points.size()));
      if (isNew) part.points.emplace_back(p.x, p.y, p.z);
      of[v] = at->second;
    }
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      const aiFace& face = mesh.mFaces[f];
      if (face.mNumIndices != 3) continue;
      const std::array<int, 3> t{of[face.mIndices[0]], of[face.mIndices[1]], of[face.mIndices[2]]};
      if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0]) part.triangles.push_back(t);
    }
    if (!part.triangles.empty()) parts.push_back(std::move(part));
  }
  for (unsigned k = 0; k < node.mNumChildren; ++k) take(scene, *node.mChildren[k], here, parts);
}

} // namespace

Expected<std::vector<Part>> readParts(const std::string& bytes) {
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFileFromMemory(bytes.data(), bytes.size(), 0, "3mf");
  std::vector<Part> parts;
  // The axes of the file, which the library turns to its own, y up, by the root's matrix: parts are wanted as they were sent.
  if (scene && scene->mRootNode) {
    aiMatrix4x4 back = scene->mRootNode->mTransformation;
    take(*scene, *scene->mRootNode, back.Inverse(), parts);
  }
  if (parts.empty()) return fail(problem("unreadable", "the file is no 3MF with parts in it"));
  return parts;
}

std::vector<Vec3> openEdges(const Part& part) {
  std::map<std::pair<int, int>, int> sides; // runs from the lower number to the higher, less those back; out of range: too many
  for (const auto& t : part.triangles)
    for (int k = 0; k < 3; ++k) {
      const int a = t[size_t(k)], b = t[size_t((k + 1) % 3)];
      sides[{std::min(a, b), std::max(a, b)}] += a < b ? 1 : 1000;
    }
  std::vector<Vec3> open;
  for (const auto& [edge, runs] : sides)
    if (runs != 1001) open.push_back(0.5 * (part.points[size_t(edge.first)] + part.points[size_t(edge.second)]));
  return open;
}

Box boxOf(const std::vector<Part>& parts) {
  Box box{Vec3::Constant(std::numeric_limits<double>::infinity()), Vec3::Constant(-std::numeric_limits<double>::infinity())};
  for (const Part& part : parts)
    for (const Vec3& p : part.points) box.low = box.low.cwiseMin(p), box.high = box.high.cwiseMax(p);
  return box;
}

} // namespace lumsk::bureau
