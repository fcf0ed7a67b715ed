#pragma once
#include "base/meets.h"
#include "base/problem.h"
#include "nurbs/core/surface.h"

#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Shape.hxx>
#include <TopoDS_Vertex.hxx>

#include <array>
#include <map>
#include <memory>

namespace lumsk::brep {

/// An untrimmed face keeps the spline it was made from: display and offset work on that.
struct NaturalFace {
  std::shared_ptr<const nurbs::Surface> surface;
  bool reversed = false; ///< the face's outside is against S_u x S_v
  /// Names of its sides (first u, last u, first v, last v) in the names of edges; empty: left, right, start, end.
  std::array<std::string, 4> sides{};
  std::array<Meets, 4> asked{}; ///< what its step was asked for at its sides; `Free`: nothing
  /// The whole of which it is a part within `fit`, where it was cut straight across and made untrimmed again.
  std::shared_ptr<const NaturalFace> uncut = {};
};
/// The face on another surface: nothing is known of what it was cut from.
NaturalFace onSurface(NaturalFace f, std::shared_ptr<const nurbs::Surface> s);

/// A skin (open) or a solid (closed), frozen after it was made. Names are by order of TopExp::MapShapes, so they last
/// as long as the shape; across edits the names themselves last: a face is (step, role, source), an edge its faces.
struct Body {
  TopoDS_Shape shape;
  std::vector<std::string> faceNames, edgeNames, vertexNames;
  std::map<std::string, NaturalFace> natural; ///< by face name
  std::map<std::string, Meets> asked;         ///< by edge name: continuity the step was asked for

  bool solid() const;
};
using BodyPtr = std::shared_ptr<const Body>;

std::vector<TopoDS_Face> faces(const Body& b);
std::vector<TopoDS_Edge> edges(const Body& b);
std::vector<TopoDS_Vertex> vertices(const Body& b);

/// Indices of the faces that an edge bounds.
std::vector<int> facesAt(const Body& b, int edge);

/// Deep copy of the shape: for everything that writes into shapes (meshing, fixing).
TopoDS_Shape copyOf(const TopoDS_Shape& s);
/// The body moved; names kept.
Expected<BodyPtr> moved(const Body& b, const Eigen::Isometry3d& t);

} // namespace lumsk::brep
