#pragma once
#include "brep/mesh.h"
#include "recipe/model.h"

namespace lumsk::exchange {

struct NamedMesh {
  std::string name;
  brep::SolidMesh mesh;
};
struct NamedCurve {
  std::string name;
  recipe::CurvePtr curve;
};

/// What goes into one file.
struct Contents {
  std::vector<recipe::BodyEntry> bodies;
  std::vector<NamedMesh> meshes = {};  ///< of the bodies, for formats of triangles
  std::vector<NamedCurve> curves = {}; ///< for formats that carry them
};

/// A kind of file for bodies. Each stands in a folder of its own; one line of src/exchange/CMakeLists.txt lists it.
struct Format {
  std::string key, words;           ///< "step", "STEP: all bodies for the toolmaker"
  std::vector<std::string> endings; ///< ".step"; the first is offered
  bool triangles = false;           ///< carries triangles of solids; else exact forms
  bool curves = false;              ///< carries curves
  /// Fails with LM-F022, and what the format itself cannot do.
  Expected<void> (*write)(const std::string& path, const Contents& contents) = nullptr;
  Expected<std::vector<recipe::BodyEntry>> (*readBodies)(const std::string& path) = nullptr; ///< or null
  Expected<brep::SolidMesh> (*readMesh)(const std::string& path) = nullptr;                  ///< or null
};

/// In the order in which they are offered.
const std::vector<Format>& formats();
/// By the ending of a file; null for an unknown one.
const Format* formatOf(const std::string& path);

/// Bodies of a file of a format that the kernel knows, in mm, read by `lumsk-worker`. Fails as `readFile` and
/// `brep::readForeign` do.
Expected<std::vector<recipe::BodyEntry>> readForeignBodies(const std::string& path);

} // namespace lumsk::exchange
