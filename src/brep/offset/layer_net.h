#pragma once
#include "brep/split/net.h"

#include <array>

namespace lumsk::brep::offset {

// Bodies of which every face is offset by itself, trimmed ones too: the faces keep their parameters, so curves in their
// domains stay where they are as long as neighbours are tangent. At kinks both offsets are carried on and meet in a new
// edge; a kept edge runs from corner to corner as its old one does (Patrikalakis & Maekawa 2002, ch. 11).

/// How an edge lies between faces.
enum class EdgeKind { Open, Inner, Seam };

/// A face at an edge.
struct FaceAt {
  int sheet = -1, use = -1; ///< number of the sheet and of the edge in its border
};

struct KnownEdge {
  EdgeKind kind = EdgeKind::Open;
  std::vector<FaceAt> faces; ///< one or two
  std::vector<double> t;     ///< parameters at which it is looked at, the ends among them
  std::vector<double> share; ///< length up to there by the whole
  double lengthMm = 0;
  bool rim = false; ///< open, and its ring lies in a plane
  Frame rimPlane;
};

/// A face at a vertex.
struct SheetAt {
  int sheet = -1;
  Vec2 uv = Vec2::Zero();
};
struct KnownVertex {
  std::vector<SheetAt> sheets; ///< each once
  std::optional<Frame> rimPlane; ///< that all open edges at it lie in
  int pole = -1; ///< number in `sheets` of a face of which a whole side is this place
  int seam = -1; ///< number in `sheets` of a face whose seam ends here: it stays on that line of its domain
};

/// What is known of a body before it is offset.
struct LayerNet {
  split::Net net;
  std::vector<KnownEdge> edges;
  std::vector<KnownVertex> vertices;
  std::vector<std::string> names; ///< of the sheets
  std::vector<std::array<std::string, 4>> sideNames;
  bool closed = false; ///< no edge is open
  std::vector<int> firstOn; ///< by sheets: the first one on the same spline, of which both are parts
  std::vector<Vec3> parts; ///< a place of every set of faces that hang together by their edges

  /// Outside normal of a sheet's spline at a place, and the sign that distances have along the spline's own.
  Vec3 outside(int sheet, const Vec2& uv) const;
  double sign(int sheet) const;
  Vec2 imageOf(const FaceAt& f, double t) const; ///< in the spline's domain
  Vec3 at(int edge, double t) const;
  Vec3 along(int edge, double t) const; ///< unit tangent
};

/// Reads the faces of a body but those that are left out. Fails with LM-T003 where more than two faces share an edge,
/// LM-T004 where no face is left, LM-C012, or as fitting a foreign face does.
Expected<std::unique_ptr<LayerNet>> readLayers(const Body& body, const std::vector<int>& leftOut, const Context& cx);

} // namespace lumsk::brep::offset
