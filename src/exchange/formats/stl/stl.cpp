#include "brep/convert.h"
#include "brep/foreign_mesh.h"
#include "brep/guard.h"
#include "exchange/files.h"
#include "exchange/format.h"

#include <OSD_Path.hxx>
#include <Poly_Triangulation.hxx>
#include <RWStl.hxx>

#include <filesystem>

namespace lumsk::exchange {

namespace formats_ {
Format stl();
}

namespace {

Handle(Poly_Triangulation) merged(const std::vector<NamedMesh>& meshes) {
  int points = 0, triangles = 0;
  for (const auto& m : meshes) points += int(m.mesh.points.size()), triangles += int(m.mesh.triangles.size());
  Handle(Poly_Triangulation) t = new Poly_Triangulation(points, triangles, false);
  int p = 0, k = 0;
  for (const auto& m : meshes) {
    const int base = p;
    for (const Vec3& q : m.mesh.points) t->SetNode(++p, brep::toPnt(q));
    for (const auto& f : m.mesh.triangles)
      t->SetTriangle(++k, Poly_Triangle(base + f[0] + 1, base + f[1] + 1, base + f[2] + 1));
  }
  return t;
}

/// Binary, all meshes in one.
Expected<void> writeStl(const std::string& path, const Contents& contents) {
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STL", [&]() -> Expected<void> {
      if (!RWStl::WriteBinary(merged(contents.meshes), OSD_Path(temporary.c_str())))
        return fail(cannotWrite(path, "the folder or disk refuses"));
      size_t triangles = 0;
      for (const auto& m : contents.meshes) triangles += m.mesh.triangles.size();
      std::error_code e;
      // The writer does not notice a full disk.
      if (std::filesystem::file_size(temporary, e) != 84 + 50 * triangles)
        return fail(cannotWrite(path, "the disk is full"));
      return {};
    });
  });
}

/// Text or binary, welded. Fails with LM-F031.
Expected<brep::SolidMesh> readStl(const std::string& path) {
  LUMSK_TRY(bytes, readFile(path));
  return brep::readForeignMesh(bytes, std::filesystem::path(path).filename().string(), 1.0, {});
}

} // namespace

Format formats_::stl() {
  return {"stl", "STL: solids as a mesh", {".stl"}, true, false, writeStl, nullptr, readStl};
}

} // namespace lumsk::exchange
