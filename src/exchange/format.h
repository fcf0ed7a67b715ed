#pragma once
#include "brep/mesh.h"
#include "recipe/model.h"

namespace lumsk::exchange {

/// What a file is made of.
enum class Form {
  Exact,      ///< surfaces and curves as they are
  ClosedMesh, ///< triangles of solids, closed
  ShadedMesh, ///< triangles of skins and solids with normals
  PlaneLines, ///< lines seen from one side, to scale
  Points      ///< places along curves
};
inline bool ofTriangles(Form f) { return f == Form::ClosedMesh || f == Form::ShadedMesh; }

struct NamedMesh {
  std::string name, colour; ///< "#rrggbb" or empty
  brep::SolidMesh closed;   ///< for closed meshes
  brep::FaceMesh shaded;    ///< for shaded ones
};
struct NamedCurve {
  std::string name;
  recipe::CurvePtr curve;
};
/// A line of a view, in the paper's plane z = 0, mm.
struct PlaneLine {
  nurbs::Path path;
  std::string layer; ///< "curves", "outlines", "hidden"
};

/// What goes into one file.
struct Contents {
  std::vector<recipe::BodyEntry> bodies;
  std::vector<NamedMesh> meshes = {};  ///< of the bodies, for formats of triangles
  std::vector<NamedCurve> curves = {}; ///< for formats that carry them
  std::vector<PlaneLine> lines = {};   ///< for plane lines
  double nearMm = 0.05;                ///< points lie so densely that chords stay that near to their curve
};

/// What of a model goes on in a format.
struct Carries {
  bool skins = true, curves = false, names = false, colours = false;
  bool parts = false; ///< bodies stay apart
  bool unit = false;  ///< the file says which unit its numbers have
  static Carries all() { return {true, true, true, true, true, true}; }
};

/// A kind of file. Each stands in a folder of its own; one line of src/exchange/CMakeLists.txt lists it.
struct Format {
  std::string key, words;           ///< "step", "STEP: all bodies for the toolmaker"
  std::vector<std::string> endings; ///< ".step"; the first is offered. Of two formats with one ending the first is meant
  Form form = Form::Exact;
  Carries carries;
  /// Fails with LM-F022, and what the format itself cannot do.
  Expected<void> (*write)(const std::string& path, const Contents& contents) = nullptr;
  Expected<std::vector<recipe::BodyEntry>> (*readBodies)(const std::string& path) = nullptr; ///< or null
  Expected<brep::SolidMesh> (*readMesh)(const std::string& path) = nullptr;                  ///< or null
};

/// In the order in which they are offered.
const std::vector<Format>& formats();
/// By the ending of a file; null for an unknown one.
const Format* formatOf(const std::string& path);
/// By its key; null for an unknown one.
const Format* findFormat(const std::string& key);

/// Red, green and blue (0 to 255) of "#rrggbb"; the plain colour of forms where there is none.
std::array<unsigned, 3> rgbOf(const std::string& colour);

/// Bodies of a file of a format that the kernel knows, in mm, read by `lumsk-worker`. Fails as `readFile` and
/// `brep::readForeign` do.
Expected<std::vector<recipe::BodyEntry>> readForeignBodies(const std::string& path);

} // namespace lumsk::exchange
