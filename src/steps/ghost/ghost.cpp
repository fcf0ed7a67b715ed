#include "brep/foreign_mesh.h"
#include "recipe/point_table.h"
#include "steps/common.h"
#include "steps/foreign_unit.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace ghost_ {

constexpr double kCreaseDeg = 30; ///< sharper edges of a mesh are drawn
constexpr double kLineMm = 0.02;  ///< how near drawn lines are to their curves

Schema schema() {
  return {file("file", "File", "A STEP, BREP or STL file, or a table of measured points; it travels inside the project.",
               "Bodies, meshes and points (*.step *.stp *.igs *.iges *.brep *.brp *.stl *.txt *.csv *.xyz)"),
          unitField(),
          ratioField("strength", "Strength", "How clearly it shows, from nothing to plain.", "0.3").within(0.05, 1)};
}

Expected<GhostObject> fromMesh(const Inputs& in, const std::string& bytes, const Context& cx) {
  LUMSK_TRY(mesh, brep::readForeignMesh(bytes, in.fileName("file"), brep::mmPer(unitOf(in)), cx));
  auto shown = brep::shownMesh(mesh, kCreaseDeg);
  GhostObject out;
  out.edges = std::move(shown.edges);
  out.corners = std::move(mesh.points);
  out.mesh = std::make_shared<const brep::FaceMesh>(std::move(shown.mesh));
  return out;
}

Expected<GhostObject> fromPoints(const Inputs& in, const std::string& bytes) {
  LUMSK_TRY(lists, readPointTable(bytes));
  GhostObject out;
  out.mesh = std::make_shared<const brep::FaceMesh>();
  for (const Points& list : lists)
    for (Eigen::Index i = 0; i < list.rows(); ++i)
      out.corners.push_back(brep::mmPer(unitOf(in)) * list.row(i).transpose());
  return out;
}

Expected<GhostObject> fromBodies(const Inputs& in, const std::string& bytes, const Context& cx, Outcome& told) {
  LUMSK_TRY(read, brep::readForeign(bytes, {unitOf(in), in.fileName("file"), in.fileHash("file")}, cx));
  brep::FaceMesh all;
  GhostObject out;
  for (const auto& part : read.parts) {
    for (const auto& f : brep::displayMesh(*part.body, {}, 4000)) {
      const int base = int(all.points.size());
      all.points.insert(all.points.end(), f.points.begin(), f.points.end());
      all.normals.insert(all.normals.end(), f.normals.begin(), f.normals.end());
      for (const auto& t : f.triangles) all.triangles.push_back({base + t[0], base + t[1], base + t[2]});
    }
    for (auto& e : brep::displayEdges(*part.body)) {
      if (e.seam || e.points.empty()) continue;
      out.corners.insert(out.corners.end(), {e.points.front(), e.points.back()});
      out.edges.push_back(std::move(e.points));
    }
  }
  for (const auto& c : read.curves) {
    const Points line = nurbs::polylineWithin(c, kLineMm);
    out.edges.emplace_back();
    for (Eigen::Index i = 0; i < line.rows(); ++i) out.edges.back().push_back(line.row(i).transpose());
    out.corners.insert(out.corners.end(), {c.start(), c.end()});
  }
  out.mesh = std::make_shared<const brep::FaceMesh>(std::move(all));
  told.notes = withUnitsOffered(std::move(read.notes));
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string* bytes = in.file("file");
  if (!bytes) return fail(problem("LM-I004", "choose a file with bodies or a mesh").isMissing().inField("file"));
  std::string name = in.fileName("file");
  std::transform(name.begin(), name.end(), name.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  const auto ends = [&](const char* ending) {
    return name.size() > 4 && name.compare(name.size() - 4, 4, ending) == 0;
  };
  const bool points = ends(".txt") || ends(".csv") || ends(".xyz");
  Outcome out;
  auto made = points         ? fromPoints(in, *bytes)
              : ends(".stl") ? fromMesh(in, *bytes, cx)
                             : fromBodies(in, *bytes, cx, out);
  if (!made) return fail(isCancelled(made.error()) ? made.error() : made.error().inField("file"));
  made->strength = in.number("strength");
  out.summary = points ? std::to_string(made->corners.size()) + " points"
                       : std::to_string(made->mesh->triangles.size()) + " triangles";
  out.outputs.push_back({"", std::make_shared<const GhostObject>(std::move(*made))});
  return out;
}

} // namespace ghost_

Step ghost() { return Step{"ghost", 1, "Backdrop body", Stage::Curves, ghost_::schema, ghost_::compute}.under("bring in"); }

} // namespace lumsk::steps
