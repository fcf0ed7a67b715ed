#pragma once
#include "brep/body.h"
#include "nurbs/core/path.h"

namespace lumsk::brep {

/// Edges end to end, each in the direction in which the ring is walked.
struct Ring {
  std::vector<TopoDS_Edge> edges;
  bool closed = false;
};

/// The middle of an edge by its curve's parameter; of one without a curve its start.
Vec3 middleOf(const TopoDS_Edge& e);

/// Edges that belong to one face only, poles and seams left out.
std::vector<TopoDS_Edge> openEdges(const TopoDS_Shape& s);
/// Whether an edge of a body is one of them.
bool isOpen(const Body& b, int edge);
/// The openings of a shape: its open edges chained by their vertices.
std::vector<Ring> openRings(const TopoDS_Shape& s);
/// Edges chained by places instead: ends within `nearMm` count as one.
std::vector<Ring> chained(const std::vector<TopoDS_Edge>& edges, double nearMm);

/// A path as edges, one a segment.
std::vector<TopoDS_Edge> edgesAlong(const nurbs::Path& p);
/// Copies of a ring's edges, in its directions, whose vertices reach the ends of the edges before and after: those of a
/// body's edges are as far apart as its vertices are wide.
std::vector<TopoDS_Edge> copiesOf(const Ring& r);

/// Points along a ring in order, n x 3, `perEdge` on each; the first is not repeated.
Points pointsAlong(const Ring& r, int perEdge);

} // namespace lumsk::brep
