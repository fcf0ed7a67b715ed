#pragma once
#include "brep/assemble.h"
#include "brep/split/division.h"

namespace lumsk::brep {

// What gives faces other borders and leaves their surfaces alone (`restored`, `grown`, `shortened`) has in common.

/// Bodies with other borders.
struct Rebordered {
  std::vector<BodyPtr> bodies;      ///< the largest first
  std::vector<CarriedOn> carriedOn; ///< edges that were left went on to where they divide, by their places
  std::vector<Problem> notes;       ///< LM-C107 (an edge that was to stay is gone), LM-J105 (faces came apart), LM-C101
};

/// Edges of a face as dividers, numbered from `first`: "0", "1", ... Fails with LM-C012 where one has no curve.
Expected<std::vector<Divider>> asDividers(const std::vector<TopoDS_Edge>& edges, size_t first);
/// What edges of a face that such dividers cut are called; `labels` by their numbers.
EdgeLabels labelsOf(const Body& cut, const std::vector<std::string>& labels);

/// A body whose faces are these now: as it was where there is one face, else knitted; notes where faces came apart.
Expected<Rebordered> together(const Body& before, const std::vector<NamedFace>& faces, const EdgeLabels& labels,
                              const Context& cx);

/// The same with ten seconds at most.
Context limited(const Context& cx);

/// Whether an edge lies on a side of a surface's own domain, in space: the face may be a fitted part of it.
bool onBorderOf(const nurbs::Surface& s, const TopoDS_Edge& e, LengthTolerance fit);

/// Which pieces some places lie in.
std::vector<char> piecesAt(const Division& division, const std::vector<Vec3>& places, const Context& cx);

/// A note on edges that were to stay and are no border of a face any more.
void noteLost(Rebordered& out, const std::vector<TopoDS_Edge>& left, const TopoDS_Face& now, LengthTolerance point);
/// Which edges were carried on, and how far.
void takeCarried(Rebordered& out, const Division& division);

} // namespace lumsk::brep
