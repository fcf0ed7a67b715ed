#include "exchange/export.h"

#include "exchange/files.h"
#include "exchange/format.h"

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

/// The curves that are seen and are up to date.
std::vector<NamedCurve> shownCurves(const recipe::Model& model, Exported& out) {
  std::vector<NamedCurve> list;
  for (const recipe::StepPtr& s : model.recipe->steps) {
    const recipe::StepResult* r = model.result(s->id);
    const auto look = model.recipe->looks.find(s->id);
    if (!r || !r->outcome || r->status == recipe::Status::Off || (look != model.recipe->looks.end() && !look->second.visible)) continue;
    for (const recipe::Output& o : r->outcome->outputs) {
      const auto* curve = std::get_if<recipe::CurvePtr>(&o.object);
      if (!curve || model.isHidden(s->id, o.name)) continue;
      const std::string name = s->label + (o.name.empty() ? "" : " " + o.name);
      if (r->status == recipe::Status::Ok)
        list.push_back({name, *curve});
      else
        out.leftOut.push_back(name + ": it is stale, a step before it has failed");
    }
  }
  return list;
}

bool anyCurve(const recipe::Model& model) {
  Exported ignored;
  return !shownCurves(model, ignored).empty();
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
  const Format* format = formatOf(path);
  if (!format) {
    std::string known;
    for (const Format& f : formats()) known += (known.empty() ? "" : ", ") + f.endings.front();
    return fail(
        problem("LM-F023", "there is no export for '" + extensionOf(path) + "'").tryThis("use one of " + known));
  }
  if (o.curves && !format->curves)
    return fail(problem("LM-F034", "such a file carries no curves").tryThis("export STEP, or leave the curves out"));
  Exported out;
  Contents contents{chosen(model, format->triangles, out)};
  if (o.curves) contents.curves = shownCurves(model, out);
  out.bodies = int(contents.bodies.size());
  out.curves = int(contents.curves.size());
  if (contents.bodies.empty() && contents.curves.empty()) {
    std::string why;
    for (const auto& l : out.leftOut) why += (why.empty() ? ": " : "; ") + l;
    return fail(problem("LM-F024", "there is nothing to export" + why)
                    .tryThis(format->triangles    ? "thicken the skin, or export STEP"
                             : anyCurve(model) ? "make a body first, or export the curves too"
                                                  : "make a body first"));
  }
  if (format->triangles) {
    LUMSK_TRY(meshes, meshesOf(contents.bodies, o, cx));
    if (cx.stopped()) return fail(cancelled());
    for (const auto& m : meshes) out.triangles += int(m.mesh.triangles.size());
    contents.meshes = std::move(meshes);
  } else {
    cx.report(0.1, "writing");
  }
  LUMSK_CHECK(format->write(path, contents));
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
