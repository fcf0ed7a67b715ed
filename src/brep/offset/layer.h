#pragma once
#include "brep/history.h"
#include "brep/offset/layer_places.h"

#include <Geom_Curve.hxx>

namespace lumsk::brep::offset {

/// A body's faces at a distance, by the numbers of the net: they share edges, and edges their vertices.
struct Layer {
  std::vector<TopoDS_Vertex> vertices;
  std::vector<TopoDS_Edge> edges;           ///< over [0, 1], in the sense of the old ones
  std::vector<Handle(Geom_Curve)> curves;   ///< theirs; none at poles
  std::vector<NamedFace> faces;             ///< outside as before; names of the old ones
  double deviationMm = 0.0, tightestMm = 1e300;
};

/// Builds them, and checks that no place of a face is nearer to the body than the distance. Fails as `placesAt` does, with
/// LM-T005 (runs into another part; place and measure), LM-K002.
Expected<Layer> layerAt(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx);

} // namespace lumsk::brep::offset
