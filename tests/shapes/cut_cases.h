#pragma once
#include "brep/split/division.h"

#include <functional>
#include <optional>

namespace lumsk::test {

/// A made-up body and what divides it, with what must come of it.
struct CutCase {
  std::string kind, name; ///< "seam", "seam 3"
  brep::BodyPtr target;
  brep::BodyPtr one; ///< the same form in one face, for the raster
  std::vector<brep::Divider> dividers;
  /// Signed distances from the dividers to first order, by other code; empty where there is none.
  std::vector<std::function<double(const Vec3&)>> heights;
  int pieces = -1;        ///< that must come; -1: as many as a raster finds
  double reachMm = -1;
  bool mayRefuse = false; ///< there may be no definite answer
};

/// So many cases of every kind, by a seed: clean, corner, tangent, edge, short, several, seam, pole, trimmed, faces,
/// foreign, coincident.
std::vector<CutCase> cutCases(int perKind, unsigned seed);

/// Solids divided by solids, planes and skins, three of ten of them hard: nearly the same form, flush faces, slivers.
std::vector<CutCase> solidCases(int many, unsigned seed);

/// Solids to be combined: crossing, touching, flush, coincident over an area, nearly coincident, with many at once.
struct CombineCase {
  std::string kind;
  brep::BodyPtr target;
  std::vector<brep::BodyPtr> tools;
};
std::vector<CombineCase> combineCases(int many, unsigned seed);

/// Pieces that signed distances tell on a raster of a form in one face; nothing for others.
std::optional<int> piecesByRaster(const CutCase& c, int cells);

/// What is wrong with pieces, empty if nothing: their number, areas, validity, sides; edges off the target's own
/// surfaces or off the dividers; roughness. By the geometry kernel's measures, not by the code that made them.
std::string wrongWith(const CutCase& c, const std::vector<brep::BodyPtr>& pieces);

} // namespace lumsk::test
