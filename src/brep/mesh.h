#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

struct MeshLimits {
  double chordMm = 0.05; ///< largest distance of a triangle from the surface
  double angleDeg = 10; ///< largest turn of the normal along a triangle's side, and from all but slivers to the surface
};

/// Triangles of one face; normals point out of the face's front.
struct FaceMesh {
  std::string face;
  std::vector<Vec3> points, normals;
  std::vector<std::array<int, 3>> triangles;
  std::vector<Vec2> places; ///< parameters of the points on the face's surface; empty for meshes of foreign origin
  Vec3 low = Vec3::Ones(), high = -Vec3::Ones(); ///< of the box around it; not known while `low` lies beyond `high`
  void findBox();
};

/// Meshes for the eye: untrimmed faces are evaluated on a grid, the others meshed by the kernel on a copy. Made in two
/// parts, so that bodies can share what there is to be drawn: first it is seen how much each of them needs.
class DisplayMesher {
public:
  DisplayMesher(const Body& b, const MeshLimits& limits);
  /// Triangles of the untrimmed faces within the limits.
  double wanted() const;
  /// With so many times as many of them, at most 1.
  std::vector<FaceMesh> mesh(double share) const;

private:
  struct Grid {
    std::vector<double> us, vs; ///< empty: meshed by the kernel
  };
  const Body& body_;
  MeshLimits limits_;
  std::vector<Grid> grids_; ///< one a face
};
/// All at once; `budget` bounds the triangles of the untrimmed faces, on average.
std::vector<FaceMesh> displayMesh(const Body& b, const MeshLimits& limits, int budget);

/// An edge as a line, within 0.02 mm.
struct ShownEdge {
  std::string name;
  std::vector<Vec3> points;
  bool open = false; ///< belongs to one face only
  bool seam = false; ///< where a closed face meets itself: not shown
};
/// All edges of a body but those that are shrunk to a point. Empty when the kernel fails on them.
std::vector<ShownEdge> displayEdges(const Body& b);

/// One closed mesh for printing (points shared along edges) within the limits, measured on the surfaces. Fails with
/// LM-K005 when the kernel's mesher leaves a face out, LM-K006 above eight million triangles, LM-K007 when halving does
/// not end.
struct SolidMesh {
  std::vector<Vec3> points;
  std::vector<std::array<int, 3>> triangles;
  double volumeMm3() const;
  int openEdges() const; ///< edges not met by exactly two triangles in opposite directions
};
Expected<SolidMesh> exportMesh(const Body& b, const MeshLimits& limits, const Context& cx);

} // namespace lumsk::brep
