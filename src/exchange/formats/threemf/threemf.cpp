#include "brep/guard.h"
#include "exchange/archive.h"
#include "exchange/files.h"
#include "exchange/format.h"


#include <algorithm>
#include <cstdint>
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wunused-parameter"
#include <Model/COM/NMR_DLLInterfaces.h>
#pragma GCC diagnostic pop

namespace lumsk::exchange {

namespace formats_ {
Format threemf();
}

namespace {

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

/// The colour of an object: a material of its own in the model's group of them.
bool paint(NMR::PLib3MFModelMeshObject* object, NMR::PLib3MFModelBaseMaterial* group, const NamedMesh& m) {
  const auto [r, g, b] = rgbOf(m.colour);
  DWORD id = 0, index = 0;
  Owned<NMR::PLib3MFDefaultPropertyHandler> handler;
  return NMR::lib3mf_basematerial_getresourceid(group, &id) == 0 &&
         NMR::lib3mf_basematerial_addmaterialutf8(group, m.name.c_str(), BYTE(r), BYTE(g), BYTE(b), &index) == 0 &&
         NMR::lib3mf_object_createdefaultpropertyhandler(object, &handler.p) == 0 &&
         NMR::lib3mf_defaultpropertyhandler_setbasematerial(handler.p, id, index) == 0;
}

/// In millimetres, one named and coloured object a mesh. Fails with LM-F030 (a mesh is not closed).
Expected<void> write3mf(const std::string& path, const Contents& contents) {
  for (const auto& m : contents.meshes)
    if (const int open = m.closed.openEdges(); open > 0)
      return fail(problem("LM-F030", "the mesh of '" + m.name + "' is not closed")
                      .measure(count(open))
                      .tryThis("take a finer chord"));
  return brep::guarded("writing 3MF", [&]() -> Expected<void> {
    Owned<NMR::PLib3MFModel> model;
    if (NMR::lib3mf_createmodel(&model.p) != 0 || NMR::lib3mf_model_setunit(model.p, NMR::MODELUNIT_MILLIMETER) != 0)
      return fail(cannotWrite(path, "the 3MF library refuses"));
    Owned<NMR::PLib3MFModelBaseMaterial> materials;
    const bool coloured = std::any_of(contents.meshes.begin(), contents.meshes.end(), [](const auto& m) { return !m.colour.empty(); });
    if (coloured && NMR::lib3mf_model_addbasematerialgroup(model.p, &materials.p) != 0) return fail(cannotWrite(path, "the 3MF library refuses"));
    for (const auto& m : contents.meshes) {
      Owned<NMR::PLib3MFModelMeshObject> object;
      Owned<NMR::PLib3MFModelBuildItem> item;
      std::vector<NMR::MODELMESHVERTEX> vertices;
      for (const Vec3& p : m.closed.points) vertices.push_back({{float(p.x()), float(p.y()), float(p.z())}});
      std::vector<NMR::MODELMESHTRIANGLE> triangles;
      for (const auto& t : m.closed.triangles) triangles.push_back({{DWORD(t[0]), DWORD(t[1]), DWORD(t[2])}});
      if (NMR::lib3mf_model_addmeshobject(model.p, &object.p) != 0 ||
          NMR::lib3mf_object_setnameutf8(object.p, m.name.c_str()) != 0 ||
          NMR::lib3mf_meshobject_setgeometry(object.p, vertices.data(), DWORD(vertices.size()), triangles.data(),
                                             DWORD(triangles.size())) != 0 ||
          (coloured && !paint(object.p, materials.p, m)) ||
          NMR::lib3mf_model_addbuilditem(model.p, object.p, nullptr, &item.p) != 0)
        return fail(cannotWrite(path, "the 3MF library refuses '" + m.name + "'"));
    }
    Owned<NMR::PLib3MFModelWriter> writer;
    Written written;
    if (NMR::lib3mf_model_querywriter(model.p, "3mf", &writer.p) != 0 ||
        NMR::lib3mf_writer_writetocallback(writer.p, reinterpret_cast<void*>(&Written::write),
                                           reinterpret_cast<void*>(&Written::seek), &written) != 0)
      return fail(cannotWrite(path, "the 3MF library refuses"));
    const auto packed = packedAnew(written.bytes);
    if (!packed) return fail(cannotWrite(path, "the 3MF library refuses"));
    return replaceFile(path, *packed);
  });
}

} // namespace

Format formats_::threemf() {
  return {"3mf", "3MF: solids for printing", {".3mf"}, Form::ClosedMesh, {false, false, true, true, true, true}, write3mf};
}

} // namespace lumsk::exchange
