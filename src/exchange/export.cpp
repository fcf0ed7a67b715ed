#include "exchange/export.h"

#include "exchange/files.h"
#include "exchange/mesh_file.h"
#include "exchange/step_file.h"

namespace lumsk::exchange {

namespace {

std::vector<recipe::BodyEntry> chosen(const recipe::Model& model, bool solidsOnly, Exported& out) {
  std::vector<recipe::BodyEntry> list;
  for (const auto& b : model.bodies) {
    if (!b.visible) continue;
    if (b.stale)
      out.leftOut.push_back(b.label + ": it is stale, a step before it has failed");
    else if (solidsOnly && !b.body->solid())
      out.leftOut.push_back(b.label + ": it is a skin, not a solid");
    else
      list.push_back(b);
  }
  return list;
}

Expected<std::vector<NamedMesh>> meshesOf(const std::vector<recipe::BodyEntry>& bodies, const ExportOptions& o,
                                          const Context& cx) {
  std::vector<NamedMesh> out;
  for (const auto& b : bodies) {
    cx.report(double(out.size()) / double(bodies.size()), "meshing " + b.label);
    LUMSK_TRY(mesh, brep::exportMesh(*b.body, o.mesh, cx));
    out.push_back({b.label, std::move(mesh)});
  }
  return out;
}

} // namespace

Expected<Exported> exportModel(const recipe::Model& model, const std::string& path, const ExportOptions& o,
                               const Context& cx) {
  const std::string ending = extensionOf(path);
  const bool mesh = ending == ".stl" || ending == ".3mf";
  if (!mesh && ending != ".step" && ending != ".stp" && ending != ".brep")
    return fail(
        problem("LM-F023", "there is no export for '" + ending + "'").tryThis("use .step, .3mf, .stl or .brep"));
  Exported out;
  const auto bodies = chosen(model, mesh, out);
  out.bodies = int(bodies.size());
  if (bodies.empty()) {
    std::string why;
    for (const auto& l : out.leftOut) why += (why.empty() ? ": " : "; ") + l;
    return fail(problem("LM-F024", "there is nothing to export" + why)
                    .tryThis(mesh ? "thicken the skin, or export STEP" : "make a body first"));
  }
  if (!mesh) {
    cx.report(0.1, "writing");
    LUMSK_CHECK(ending == ".brep" ? writeBrep(path, bodies) : writeStep(path, bodies));
    return out;
  }
  LUMSK_TRY(meshes, meshesOf(bodies, o, cx));
  if (cx.stopped()) return fail(cancelled());
  for (const auto& m : meshes) out.triangles += int(m.mesh.triangles.size());
  LUMSK_CHECK(ending == ".stl" ? writeStl(path, meshes) : write3mf(path, meshes));
  return out;
}

Expected<int> countTriangles(const recipe::Model& model, const ExportOptions& o, const Context& cx) {
  Exported ignored;
  LUMSK_TRY(meshes, meshesOf(chosen(model, true, ignored), o, cx));
  int n = 0;
  for (const auto& m : meshes) n += int(m.mesh.triangles.size());
  return n;
}

} // namespace lumsk::exchange
