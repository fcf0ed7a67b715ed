#pragma once
#include "brep/split/net.h"

namespace lumsk::brep::split {

/// Divides every edge and makes those of the cuts, once for all faces at them.
void makeEdges(Net& net);

/// A cut at the border of a part.
struct CutSide {
  int cut = -1, stretch = -1;
  bool left = false; ///< the part lies to the left of it
};

/// A connected part of a face.
struct FacePart {
  int sheet = -1;
  TopoDS_Face face;
  Vec2 inside = Vec2::Zero(); ///< a place well within it, of the sheet's domain
  Vec3 at = Vec3::Zero();     ///< the same in space
  double areaMm2 = 0;         ///< about
  std::vector<CutSide> sides;
  std::vector<int> edges;     ///< old ones at its border
  std::vector<TopoDS_Edge> oldStretches; ///< the edges there
  int piece = -1;             ///< that it belongs to, once that is known
};

/// The parts of a sheet between the cuts for which `counts` holds. `dangling` gets the cuts of which nothing divides it.
/// Fails with LM-C011 where the cuts do not make sense together (place).
Expected<std::vector<FacePart>> partsOf(const Net& net, int sheet, const std::function<bool(int cut, int stretch)>& counts,
                                        std::vector<int>* dangling = nullptr);

} // namespace lumsk::brep::split
