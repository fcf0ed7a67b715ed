#pragma once
#include "brep/mesh.h"
#include "recipe/model.h"

namespace lumsk::exchange {

struct ExportOptions {
  brep::MeshLimits mesh; ///< of formats of triangles
  bool curves = false;   ///< the curves that are seen, too, where the format carries them
};

struct Exported {
  int bodies = 0, triangles = 0, curves = 0;
  std::vector<std::string> leftOut; ///< "Name: why"
};

/// All visible bodies of a model to one file, its format (exchange/format.h) by its ending. Triangles are made of solids
/// only. Nothing stale is written. Fails with LM-F023 (unknown ending), LM-F024 (nothing to write), LM-F034 (no curves in
/// this format), and as the format does.
Expected<Exported> exportModel(const recipe::Model& model, const std::string& path, const ExportOptions& options,
                               const Context& cx);

/// Triangles that an export would have, for showing before it is made.
Expected<int> countTriangles(const recipe::Model& model, const ExportOptions& options, const Context& cx);

} // namespace lumsk::exchange
