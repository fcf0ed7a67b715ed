#include "exchange/mesh_file.h"

#include "brep/convert.h"
#include "brep/foreign_mesh.h"
#include "brep/guard.h"
#include "exchange/files.h"

#include <OSD_Path.hxx>
#include <Poly_Triangulation.hxx>
#include <RWStl.hxx>

#include <algorithm>
#include <cstdint>
#include <filesystem>
#include <fstream>
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wunused-parameter"
#include <Model/COM/NMR_DLLInterfaces.h>
#pragma GCC diagnostic pop

namespace lumsk::exchange {

namespace {

Problem cannot(const std::string& path, const std::string& why) {
  return problem("LM-F022", "'" + std::filesystem::path(path).filename().string() + "' cannot be written (" + why + ")")
      .tryThis("choose another folder or make room on the disk");
}

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

/// Owns one instance of the 3MF library.
template <class T> struct Owned {
  T* p = nullptr;
  ~Owned() {
    if (p) NMR::lib3mf_release(p);
  }
};

/// What the 3MF library writes, in memory: it cannot be trusted to notice, or to survive, a full disk.
struct Written {
  std::string bytes;
  size_t at = 0;
  static std::uint32_t write(const std::uint8_t* data, std::uint32_t count, void* to) {
    auto& w = *static_cast<Written*>(to);
    try {
      if (w.bytes.size() < w.at + count) w.bytes.resize(w.at + count);
    } catch (const std::bad_alloc&) {
      return 1;
    }
    std::copy(data, data + count, w.bytes.begin() + std::ptrdiff_t(w.at));
    w.at += count;
    return 0;
  }
  static std::uint32_t seek(std::uint64_t to, void* of) {
    static_cast<Written*>(of)->at = size_t(to);
    return 0;
  }
};

} // namespace

Expected<void> writeStl(const std::string& path, const std::vector<NamedMesh>& meshes) {
  return replaceFile(path, [&](const std::string& temporary) {
    return brep::guarded("writing STL", [&]() -> Expected<void> {
      if (!RWStl::WriteBinary(merged(meshes), OSD_Path(temporary.c_str())))
        return fail(cannot(path, "the folder or disk refuses"));
      size_t triangles = 0;
      for (const auto& m : meshes) triangles += m.mesh.triangles.size();
      std::error_code e;
      // The writer does not notice a full disk.
      if (std::filesystem::file_size(temporary, e) != 84 + 50 * triangles)
        return fail(cannot(path, "the disk is full"));
      return {};
    });
  });
}

Expected<void> write3mf(const std::string& path, const std::vector<NamedMesh>& meshes) {
  for (const auto& m : meshes)
    if (const int open = m.mesh.openEdges(); open > 0)
      return fail(problem("LM-F030", "the mesh of '" + m.name + "' is not closed")
                      .measure(count(open))
                      .tryThis("take a finer chord"));
  return brep::guarded("writing 3MF", [&]() -> Expected<void> {
    Owned<NMR::PLib3MFModel> model;
    if (NMR::lib3mf_createmodel(&model.p) != 0 || NMR::lib3mf_model_setunit(model.p, NMR::MODELUNIT_MILLIMETER) != 0)
      return fail(cannot(path, "the 3MF library refuses"));
    for (const auto& m : meshes) {
      Owned<NMR::PLib3MFModelMeshObject> object;
      Owned<NMR::PLib3MFModelBuildItem> item;
      std::vector<NMR::MODELMESHVERTEX> vertices;
      for (const Vec3& p : m.mesh.points) vertices.push_back({{float(p.x()), float(p.y()), float(p.z())}});
      std::vector<NMR::MODELMESHTRIANGLE> triangles;
      for (const auto& t : m.mesh.triangles) triangles.push_back({{DWORD(t[0]), DWORD(t[1]), DWORD(t[2])}});
      if (NMR::lib3mf_model_addmeshobject(model.p, &object.p) != 0 ||
          NMR::lib3mf_object_setnameutf8(object.p, m.name.c_str()) != 0 ||
          NMR::lib3mf_meshobject_setgeometry(object.p, vertices.data(), DWORD(vertices.size()), triangles.data(),
                                             DWORD(triangles.size())) != 0 ||
          NMR::lib3mf_model_addbuilditem(model.p, object.p, nullptr, &item.p) != 0)
        return fail(cannot(path, "the 3MF library refuses '" + m.name + "'"));
    }
    Owned<NMR::PLib3MFModelWriter> writer;
    Written written;
    if (NMR::lib3mf_model_querywriter(model.p, "3mf", &writer.p) != 0 ||
        NMR::lib3mf_writer_writetocallback(writer.p, reinterpret_cast<void*>(&Written::write),
                                           reinterpret_cast<void*>(&Written::seek), &written) != 0)
      return fail(cannot(path, "the 3MF library refuses"));
    return replaceFile(path, [&](const std::string& temporary) -> Expected<void> {
      std::ofstream out(temporary, std::ios::binary);
      if (!out.write(written.bytes.data(), std::streamsize(written.bytes.size())).flush())
        return fail(cannot(path, "the folder or disk refuses"));
      return {};
    });
  });
}

Expected<brep::SolidMesh> readStl(const std::string& path) {
  LUMSK_TRY(bytes, readFile(path));
  return brep::readForeignMesh(bytes, std::filesystem::path(path).filename().string(), 1.0, {});
}

} // namespace lumsk::exchange
