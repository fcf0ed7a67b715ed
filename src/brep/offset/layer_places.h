#pragma once
#include "brep/offset/layer_net.h"

namespace lumsk::brep::offset {

/// The offset of a sheet's spline, carried on where neighbours at kinks want it.
struct OffsetSheet {
  std::shared_ptr<const nurbs::Surface> surface; ///< over [0, 1]^2
  Vec2 low = Vec2::Zero(), size = Vec2::Ones();  ///< of the old domain with what was added
  bool larger = false;                           ///< something was added
  double distanceMm = 0.0;                       ///< along the spline's own normal
  Vec2 place(const Vec2& old) const { return (old - low).cwiseQuotient(size); }
};

/// An edge's place in the offset.
struct EdgePlace {
  Vec3 point = Vec3::Zero();
  std::array<Vec2, 2> uv{}; ///< of the offset surfaces
  double gapMm = 0.0;       ///< between them
};

struct OffsetEdge {
  bool kept = false;             ///< its images are what they were
  std::array<double, 2> shift{}; ///< of its ends along it, mm
  std::array<double, 2> aside{}; ///< square to it in the skin
  std::vector<EdgePlace> places; ///< at `KnownEdge::t`
};

/// Where everything of a body lies at a distance.
struct LayerPlaces {
  double distanceMm = 0.0; ///< along the outside normals
  bool flatRims = false;   ///< planar openings stay in their planes
  std::vector<OffsetSheet> sheets;
  std::vector<Vec3> vertices;
  std::vector<OffsetEdge> edges;
  double deviationMm = 0.0, tightestMm = 1e300;
};

/// Solves them. Fails with LM-T001 (place, radius), LM-T003, LM-T007.
Expected<LayerPlaces> placesAt(const LayerNet& n, double distanceMm, bool flatRims, const Context& cx);

/// Planar openings whose planes the faces meet at too flat an angle for a distance follow the normals from now on; a note
/// (LM-T102) tells of them.
std::optional<Problem> dropSlantedRims(LayerNet& n, double distanceMm);

/// The place of an edge at any of its parameters.
EdgePlace placeOn(const LayerNet& n, const LayerPlaces& l, int edge, double t);

} // namespace lumsk::brep::offset
