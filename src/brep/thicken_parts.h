#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

// What `thicken` needs to know of a skin before it offsets it: every face with what lies along its sides.

/// One side of an untrimmed face.
struct Side {
  bool open = false;          ///< a rim
  std::optional<Frame> plane; ///< of a rim that belongs to a planar opening
  int neighbour = -1;         ///< part on the other side; -1 for rims, poles and seams
  bool smooth = false;        ///< tangent to the neighbour: both keep their border
};

/// Where edges of flat faces meet.
struct Corner {
  Vec3 at = Vec3::Zero();
  std::vector<int> faces;   ///< parts that meet there
  std::optional<Frame> rim; ///< plane of the opening it lies on
};

struct FlatEdge {
  TopoDS_Edge edge;
  std::string name;
  int neighbour = -1; ///< -1: a rim
  int side = -1;      ///< of an untrimmed neighbour
  bool along = false; ///< a rim in the face's own plane: it follows the normal
  Corner corners[2];  ///< of straight edges, in the direction of the wire
};
struct FlatWire {
  std::vector<FlatEdge> edges;
};

struct Part {
  std::string name;
  TopoDS_Face face;
  bool flat = false;
  // Untrimmed
  std::shared_ptr<const nurbs::Surface> surface;
  bool reversed = false;
  std::array<std::string, 4> sideNames{};
  std::array<Side, 4> sides{};
  std::shared_ptr<const nurbs::Surface> front, back; ///< of the solid
  // Flat
  Frame plane;                 ///< its normal is the front's
  std::vector<FlatWire> wires; ///< the outer one first
  TopoDS_Face frontFace, backFace;

  double signedDistance(double alongFront) const { return reversed ? -alongFront : alongFront; }
  Frame shifted(double distance) const { return {plane.origin + distance * plane.normal(), plane.x, plane.y}; }
  /// A part before this one whose image in a mirror it is, with all that lies along its sides: so is its wall.
  int imageOf = -1;
  Frame mirror;
  std::string sideName(int side) const;
  bool covers(const Vec3& p) const; ///< whether the foot of p on a flat face lies inside it
};

/// Whether all faces but those left out are untrimmed or flat: `partsOf` knows no others.
bool wholeOrFlat(const Body& skin, const std::vector<int>& leftOut);

/// Those that are images of others are told (all parts but flat ones, or none). Fails with LM-T003 (an edge with several neighbours), LM-T004 (trimmed faces; nothing left).
Expected<std::vector<Part>> partsOf(const Body& skin, const std::vector<int>& leftOut, const Context& cx);

nurbs::Spline border(const nurbs::Surface& s, int side);
/// Points inside a face: a grid over its parameters, those outside left away; of planar faces as many as lie so far
/// apart, within reason.
std::vector<Vec3> pointsInside(const TopoDS_Face& f, int across, double apartMm = 0);

} // namespace lumsk::brep
