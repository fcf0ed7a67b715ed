#include "exchange/written_mesh.h"

#include "brep/guard.h"
#include "exchange/files.h"

#include <assimp/Exporter.hpp>
#include <assimp/material.h>
#include <assimp/mesh.h>
#include <assimp/scene.h>

#include <cmath>

namespace lumsk::exchange {

namespace {

constexpr double kMetresAMm = 1e-3; // glTF 2.0, 3.4

aiMaterial* materialOf(const NamedMesh& m) {
  auto* out = new aiMaterial;
  const auto [r, g, b] = rgbOf(m.colour);
  // Colours of surfaces are linear there.
  const auto linear = [](unsigned v) {
    const double c = v / 255.0;
    return ai_real(c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4));
  };
  const aiColor4D colour(linear(r), linear(g), linear(b), 1);
  const aiString name(m.name);
  const ai_real rough = 0.6f, metal = 0;
  const int bothSides = 1;
  out->AddProperty(&name, AI_MATKEY_NAME);
  out->AddProperty(&colour, 1, AI_MATKEY_COLOR_DIFFUSE);
  out->AddProperty(&colour, 1, AI_MATKEY_BASE_COLOR);
  out->AddProperty(&rough, 1, AI_MATKEY_ROUGHNESS_FACTOR);
  out->AddProperty(&metal, 1, AI_MATKEY_METALLIC_FACTOR);
  out->AddProperty(&bothSides, 1, AI_MATKEY_TWOSIDED);
  return out;
}

aiMesh* meshOf(const brep::FaceMesh& m, const std::string& name, unsigned material, const MeshFileOptions& o) {
  auto* out = new aiMesh;
  out->mName = aiString(name);
  out->mMaterialIndex = material;
  out->mPrimitiveTypes = aiPrimitiveType_TRIANGLE;
  out->mNumVertices = unsigned(m.points.size());
  out->mVertices = new aiVector3D[m.points.size()];
  out->mNormals = new aiVector3D[m.points.size()];
  const auto turned = [&](const Vec3& v) { return o.metresYUp ? aiVector3D(ai_real(v.x()), ai_real(v.z()), ai_real(-v.y())) : aiVector3D(ai_real(v.x()), ai_real(v.y()), ai_real(v.z())); };
  for (size_t i = 0; i < m.points.size(); ++i) {
    out->mVertices[i] = turned(m.points[i] * (o.metresYUp ? kMetresAMm : 1.0));
    out->mNormals[i] = turned(m.normals[i]);
  }
  out->mNumFaces = unsigned(m.triangles.size());
  out->mFaces = new aiFace[m.triangles.size()];
  for (size_t i = 0; i < m.triangles.size(); ++i) {
    out->mFaces[i].mNumIndices = 3;
    out->mFaces[i].mIndices = new unsigned[3]{unsigned(m.triangles[i][0]), unsigned(m.triangles[i][1]), unsigned(m.triangles[i][2])};
  }
  return out;
}

/// All meshes as one.
NamedMesh united(const std::vector<NamedMesh>& meshes) {
  NamedMesh out{meshes.size() == 1 ? meshes[0].name : "bodies", {}, {}, {}};
  for (const NamedMesh& m : meshes) {
    const int base = int(out.shaded.points.size());
    out.shaded.points.insert(out.shaded.points.end(), m.shaded.points.begin(), m.shaded.points.end());
    out.shaded.normals.insert(out.shaded.normals.end(), m.shaded.normals.begin(), m.shaded.normals.end());
    for (const auto& t : m.shaded.triangles) out.shaded.triangles.push_back({t[0] + base, t[1] + base, t[2] + base});
  }
  return out;
}

} // namespace

Expected<std::string> writtenMeshes(const Contents& contents, const MeshFileOptions& o) {
  return brep::guarded("writing a mesh", [&]() -> Expected<std::string> {
    const std::vector<NamedMesh> meshes = o.apart ? contents.meshes : std::vector<NamedMesh>{united(contents.meshes)};
    const auto n = unsigned(meshes.size());
    aiScene scene; // owns what is put into it
    scene.mRootNode = new aiNode("Lumsk");
    scene.mNumMeshes = scene.mNumMaterials = n;
    scene.mMeshes = new aiMesh*[n]();
    scene.mMaterials = new aiMaterial*[n]();
    scene.mRootNode->mNumChildren = n;
    scene.mRootNode->mChildren = new aiNode*[n]();
    for (unsigned i = 0; i < n; ++i) {
      scene.mMaterials[i] = materialOf(meshes[i]);
      scene.mMeshes[i] = meshOf(meshes[i].shaded, meshes[i].name, i, o);
      auto* node = new aiNode(meshes[i].name);
      node->mParent = scene.mRootNode;
      node->mNumMeshes = 1;
      node->mMeshes = new unsigned[1]{i};
      scene.mRootNode->mChildren[i] = node;
    }
    Assimp::Exporter exporter;
    const aiExportDataBlob* blob = exporter.ExportToBlob(&scene, o.format);
    if (!blob || blob->size == 0) return fail(problem("LM-F022", std::string("the mesh cannot be written: ") + exporter.GetErrorString()).tryThis("take another format"));
    return std::string(static_cast<const char*>(blob->data), blob->size);
  });
}

} // namespace lumsk::exchange
