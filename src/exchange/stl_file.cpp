#include "exchange/stl_file.h"

#include "brep/convert.h"
#include "brep/foreign_mesh.h"
#include "brep/guard.h"
#include "exchange/files.h"

#include <OSD_Path.hxx>
#include <Poly_Triangulation.hxx>
#include <RWStl.hxx>

#include <filesystem>

namespace lumsk::exchange {

namespace {

Handle(Poly_Triangulation) merged(const std::vector<NamedMesh>& meshes) {
  int points = 0, triangles = 0;
  for (const auto& m : meshes) points += int(m.closed.points.size()), triangles += int(m.closed.triangles.size());
  Handle(Poly_Triangulation) t = new Poly_Triangulation(points, triangles, false);
  int p = 0, k = 0;
  for (const auto& m : meshes) {
    const int base = p;
    for (const Vec3& q : m.closed.points) t->SetNode(++p, brep::toPnt(q));
    for (const auto& f : m.closed.triangles)
      t->SetTriangle(++k, Poly_Triangle(base + f[0] + 1, base + f[1] + 1, base + f[2] + 1));
  }
  return t;
}

/// The kernel's writers do not notice a full disk.
bool whole(const std::string& file, int triangles, bool text) {
  constexpr size_t kEnd = 64;
  if (!text) {
    std::error_code e;
    return std::filesystem::file_size(file, e) == 84 + 50 * std::uintmax_t(triangles);
  }
  const auto written = readFile(file);
  return written && written->find("endsolid", written->size() - std::min(written->size(), kEnd)) != std::string::npos;
}

} // namespace

Expected<void> writeStlFile(const std::string& path, const Contents& contents, bool text) {
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STL", [&]() -> Expected<void> {
      const auto mesh = merged(contents.meshes);
      const OSD_Path to(temporary.c_str());
      if (!(text ? RWStl::WriteAscii(mesh, to) : RWStl::WriteBinary(mesh, to)))
        return fail(cannotWrite(path, "the folder or disk refuses"));
      if (!whole(temporary, mesh->NbTriangles(), text)) return fail(cannotWrite(path, "the disk is full"));
      return {};
    });
  });
}

Expected<brep::SolidMesh> readStlFile(const std::string& path) {
  LUMSK_TRY(bytes, readFile(path));
  return brep::readForeignMesh(bytes, std::filesystem::path(path).filename().string(), 1.0, {});
}

} // namespace lumsk::exchange
