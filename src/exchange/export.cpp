#include "exchange/export.h"

#include "base/text.h"
#include "brep/shaded_mesh.h"
#include "exchange/files.h"
#include "exchange/paper.h"

#include <algorithm>
#include <filesystem>
#include <set>

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

Expected<std::vector<NamedMesh>> meshesOf(const std::vector<recipe::BodyEntry>& bodies, Form form, const ExportOptions& o, const Context& cx) {
  std::vector<NamedMesh> out;
  for (const auto& b : bodies) {
    cx.report(double(out.size()) / double(bodies.size()), "meshing " + b.label);
    NamedMesh made{b.label, b.colour, {}, {}};
    if (form == Form::ClosedMesh) {
      LUMSK_TRY(mesh, brep::exportMesh(*b.body, o.mesh, cx));
      made.closed = std::move(mesh);
    } else {
      LUMSK_TRY(mesh, brep::shadedMesh(*b.body, o.mesh, cx));
      made.shaded = std::move(mesh);
    }
    out.push_back(std::move(made));
  }
  return out;
}

size_t trianglesOf(const NamedMesh& m) { return m.closed.triangles.size() + m.shaded.triangles.size(); }

/// What to do where there is nothing to write.
std::string nothingFor(Form form, const recipe::Model& model) {
  switch (form) {
  case Form::ClosedMesh: return "thicken the skin, or export STEP";
  case Form::Points: return "draw a curve, or bring it into sight";
  case Form::PlaneLines: return "bring a body or a curve into sight";
  default: return anyCurve(model) ? "make a body first, or export the curves too" : "make a body first";
  }
}

bool wantsCurves(const Format& f, const ExportOptions& o) { return f.form == Form::Points || (o.curves && f.carries.curves); }

std::string many(size_t n, const char* one, const char* more) { return n == 1 ? std::string("1 ") + one : std::to_string(n) + " " + more; }

} // namespace

const Format* formatFor(const std::string& path, const ExportOptions& o) { return o.format.empty() ? formatOf(path) : findFormat(o.format); }

std::vector<std::string> notCarried(const recipe::Model& model, const Format& f, const ExportOptions& o) {
  std::vector<std::string> out;
  Exported all;
  const auto bodies = chosen(model, false, all);
  size_t skins = 0, coloured = 0;
  for (const auto& b : bodies) {
    skins += !b.body->solid();
    coloured += !b.colour.empty() || !b.faceColours.empty();
  }
  const size_t curves = shownCurves(model, all).size();
  if (f.form == Form::Points) {
    if (!bodies.empty()) out.push_back("bodies are left out: " + many(bodies.size(), "of them", "of them"));
  } else {
    if (skins > 0 && !f.carries.skins) out.push_back(many(skins, "skin is left out", "skins are left out"));
    if (ofTriangles(f.form) && bodies.size() > 0) out.push_back("surfaces become triangles");
    if (f.form == Form::PlaneLines && bodies.size() > 0) out.push_back(o.view.outlines ? "of bodies only what is seen from one side" : "bodies are left out");
    if (bodies.size() > 1 && !f.carries.parts && f.form != Form::PlaneLines) out.push_back("the bodies become one");
  }
  if (curves > 0 && !wantsCurves(f, o)) out.push_back(many(curves, "curve is left out", "curves are left out"));
  if (!f.carries.names) out.push_back("names are lost");
  if (coloured > 0 && !f.carries.colours) out.push_back("colours are lost");
  if (!f.carries.unit) out.push_back("no unit is told: the numbers are millimetres");
  return out;
}

Expected<Exported> exportModel(const recipe::Model& model, const std::string& path, const ExportOptions& o,
                               const Context& cx) {
  const Format* format = formatFor(path, o);
  if (!format) {
    std::string known;
    for (const Format& f : formats()) known += (known.empty() ? "" : ", ") + (o.format.empty() ? f.endings.front() : f.key);
    return fail(problem("LM-F023", "there is no export for '" + (o.format.empty() ? extensionOf(path) : o.format) + "'").tryThis("use one of " + known));
  }
  if (o.curves && !format->carries.curves)
    return fail(problem("LM-F034", "such a file carries no curves").tryThis("export STEP, or leave the curves out"));
  Exported out;
  Contents contents;
  if (format->form != Form::Points) contents.bodies = chosen(model, !format->carries.skins, out);
  if (format->form == Form::PlaneLines && !o.view.outlines) contents.bodies.clear();
  if (wantsCurves(*format, o)) contents.curves = shownCurves(model, out);
  contents.nearMm = o.mesh.chordMm;
  out.bodies = int(contents.bodies.size());
  out.curves = int(contents.curves.size());
  for (const auto& b : contents.bodies) out.written.push_back(b.label);
  if (contents.bodies.empty() && contents.curves.empty()) {
    std::string why;
    for (const auto& l : out.leftOut) why += (why.empty() ? ": " : "; ") + l;
    return fail(problem("LM-F024", "there is nothing to export" + why).tryThis(nothingFor(format->form, model)));
  }
  if (ofTriangles(format->form)) {
    LUMSK_TRY(meshes, meshesOf(contents.bodies, format->form, o, cx));
    for (const auto& m : meshes) out.triangles += int(trianglesOf(m));
    contents.meshes = std::move(meshes);
  } else if (format->form == Form::PlaneLines) {
    LUMSK_TRY(lines, linesOnPaper(contents.bodies, contents.curves, o.view, cx));
    out.lines = int(lines.size());
    contents.lines = std::move(lines);
  } else {
    cx.report(0.1, "writing");
  }
  if (cx.stopped()) return fail(cancelled());
  LUMSK_CHECK(format->write(path, contents));
  return out;
}

recipe::Model withOnly(const recipe::Model& model, const std::vector<std::string>& ids) {
  recipe::Model out = model;
  const auto meant = [&](const recipe::BodyEntry& b) { return std::find(ids.begin(), ids.end(), b.id) != ids.end(); };
  out.bodies.erase(std::remove_if(out.bodies.begin(), out.bodies.end(), [&](const auto& b) { return !meant(b); }), out.bodies.end());
  for (auto& b : out.bodies) b.visible = true;
  return out;
}

std::string fileWord(const std::string& name) {
  constexpr size_t kLongest = 80;
  std::string out;
  for (const char c : oneLine(name)) {
    if (out.size() >= kLongest && (static_cast<unsigned char>(c) & 0xC0) != 0x80) break; // not within a letter
    out += std::string("/\\:*?\"<>|").find(c) == std::string::npos ? c : '_';
  }
  while (!out.empty() && (out.back() == ' ' || out.back() == '.')) out.pop_back();
  while (!out.empty() && (out.front() == ' ' || out.front() == '.' || out.front() == '-')) out.erase(0, 1);
  return out.empty() ? "part" : out;
}

Expected<std::vector<ExportedFile>> exportEach(const recipe::Model& model, const std::string& path, const ExportOptions& o, const Context& cx) {
  const std::filesystem::path whole(path);
  const std::string stem = (whole.parent_path() / whole.stem()).string(), ending = whole.extension().string();
  std::vector<ExportedFile> out;
  std::set<std::string> taken;
  const auto named = [&](const std::string& name) {
    std::string file = stem + "-" + fileWord(name) + ending;
    for (int n = 2; !taken.insert(file).second; ++n) file = stem + "-" + fileWord(name) + " " + std::to_string(n) + ending;
    return file;
  };
  ExportOptions alone = o;
  alone.curves = false;
  const Format* format = formatFor(path, o);
  for (const auto& b : model.bodies) {
    if (!b.visible || (format && ((!format->carries.skins && !b.body->solid()) || format->form == Form::Points))) continue;
    const std::string file = named(b.label);
    auto done = exportModel(withOnly(model, {b.id}), file, alone, cx);
    if (!done && isCancelled(done.error())) return fail(done.error());
    if (!done) return fail(problem(done.error().code, b.label + ": " + done.error().what).tryThis(done.error().remedyText));
    out.push_back({file, std::move(*done)});
  }
  if (format && wantsCurves(*format, o) && anyCurve(model)) {
    const std::string file = named("curves");
    LUMSK_TRY(done, exportModel(withOnly(model, {}), file, o, cx));
    out.push_back({file, std::move(done)});
  }
  if (!out.empty()) return out;
  LUMSK_TRY(together, exportModel(model, path, o, cx)); // says why there is nothing
  return std::vector<ExportedFile>{{path, std::move(together)}};
}

Expected<int> countTriangles(const recipe::Model& model, const Format& format, const ExportOptions& o, const Context& cx) {
  Exported ignored;
  LUMSK_TRY(meshes, meshesOf(chosen(model, !format.carries.skins, ignored), format.form, o, cx));
  int n = 0;
  for (const auto& m : meshes) n += int(trianglesOf(m));
  return n;
}

} // namespace lumsk::exchange
