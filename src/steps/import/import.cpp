#include "brep/foreign.h"
#include "steps/common.h"
#include "steps/foreign_unit.h"

namespace lumsk::steps {

using namespace recipe;

namespace import_ {

Schema schema() {
  return {
      file("file", "File", "A STEP, IGES or BREP file; it travels inside the project.", "Bodies (*.step *.stp *.igs *.iges *.brep *.brp)"),
      unitField(),
      length("sew", "Sew within", "Faces and skins whose edges lie so near become one, and solids where they close. Nought: only loose faces that touch.", "0")
          .within(0, 10)};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string* bytes = in.file("file");
  if (!bytes) return fail(problem("LM-I004", "choose a file with bodies").isMissing().inField("file"));
  auto read = brep::readForeign(*bytes, {unitOf(in), in.fileName("file"), in.fileHash("file"), in.number("sew")}, cx);
  if (!read) return fail(isCancelled(read.error()) ? read.error() : read.error().inField("file"));
  Outcome out;
  int faces = 0, solids = 0;
  for (auto& part : read->parts) {
    Output o;
    o.name = out.outputs.empty() ? "" : std::to_string(out.outputs.size() + 1);
    o.label = part.label;
    o.colour = part.colour;
    faces += int(part.body->faceNames.size());
    solids += part.body->solid();
    o.object = std::move(part.body);
    out.outputs.push_back(std::move(o));
  }
  const int bodies = int(out.outputs.size()), curves = int(read->curves.size());
  for (int i = 0; i < curves; ++i)
    out.outputs.push_back(
        {"curve" + std::to_string(i + 1), std::make_shared<const nurbs::Path>(std::move(read->curves[size_t(i)]))});
  out.notes = withUnitsOffered(std::move(read->notes));
  const auto say = [&](int n, const char* one, const char* many) {
    if (n == 0) return;
    out.summary += (out.summary.empty() ? "" : ", ") + std::to_string(n) + " " + (n == 1 ? one : many);
  };
  say(solids, "solid", "solids");
  say(bodies - solids, "skin", "skins");
  say(faces, "face", "faces");
  say(curves, "curve", "curves");
  return out;
}

} // namespace import_

Step import() { return Step{"import", 1, "Import", Stage::Curves, import_::schema, import_::compute}.under("bring in"); }

} // namespace lumsk::steps
