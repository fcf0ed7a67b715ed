#pragma once
#include "brep/offset/layer_net.h"
#include "nurbs/on_skin/strip.h"

namespace lumsk::brep::offset {

/// A strip across which the distance goes from one value to another.
struct Ramp {
  std::shared_ptr<const nurbs::SkinStrip> strip;
  nurbs::Transition kind = nurbs::Transition::Curvature;
  bool toLeft = true;            ///< the second value is to the left of the strip's curve
  double fromMm = 0, toMm = 0;
  double shareAt(const nurbs::SkinStrip::Place& p) const; ///< of the way from the one to the other
  double at(const nurbs::SkinStrip::Place& p) const;
};

/// How far each sheet is offset along its outside normals: alike all over, or as a ramp says.
struct Distances {
  std::vector<double> mm;                          ///< of ramps: the larger of both
  std::vector<std::shared_ptr<const Ramp>> ramps;  ///< null: alike all over
  static Distances alike(const LayerNet& n, double mm);
  double at(const LayerNet& n, int sheet, const Vec2& uv) const; ///< of a place in the spline's domain
  double most() const; ///< in size
  bool none() const { return most() == 0; }
};

/// The offset of a sheet's spline, carried on where neighbours at kinks want it. On a ramp it is over the length of the
/// strip and across it.
struct OffsetSheet {
  std::shared_ptr<const nurbs::Surface> surface; ///< over [0, 1]^2
  Vec2 low = Vec2::Zero(), size = Vec2::Ones();  ///< of the old domain with what was added
  bool larger = false;                           ///< something was added
  double distanceMm = 0.0;                       ///< along the spline's own normal
  std::shared_ptr<const Ramp> ramp;
  std::shared_ptr<const nurbs::Surface> old;     ///< of ramps: the surface itself, carried on
  bool turned = false;                           ///< of ramps: across runs to the right
  double about = 0;                              ///< of ramps: a share of the strip's length that is near
  Vec2 place(const Vec2& old) const;
  Vec2 onRamp(const Vec3& p) const; ///< of a place beside the strip
  nurbs::SkinStrip::Place stripPlace(const Vec2& uv) const; ///< of its own parameters
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
  Distances distances;
  bool flatRims = false;   ///< planar openings stay in their planes
  std::vector<OffsetSheet> sheets;
  std::vector<Vec3> vertices;
  std::vector<OffsetEdge> edges;
  double deviationMm = 0.0, tightestMm = 1e300;
};

/// Solves them. Fails with LM-T001 (place, radius), LM-T003, LM-T007.
Expected<LayerPlaces> placesAt(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx);

/// Planar openings whose planes the faces meet at too flat an angle for a distance follow the normals from now on; a note
/// (LM-T102) tells of them.
std::optional<Problem> dropSlantedRims(LayerNet& n, double distanceMm);

/// An opening's rim in this plane follows the normals from now on.
void dropRim(LayerNet& n, const Frame& plane);

/// The place of an edge at any of its parameters.
EdgePlace placeOn(const LayerNet& n, const LayerPlaces& l, int edge, double t);

} // namespace lumsk::brep::offset
