#pragma once
#include "brep/chain_faces.h"
#include "brep/knit.h"

namespace lumsk::brep {

/// Numbers of the faces to the left and the right of a path along edges at which two faces each meet. Fails with LM-H025.
using EdgeSides = std::array<std::vector<int>, 2>;
Expected<EdgeSides> edgeSides(const BodyPtr& body, const nurbs::Path& edge, const Context& cx);

/// A body whose faces on both sides of an edge end at some distance from it, so that a skin can run between.
struct CutBack {
  std::array<nurbs::Path, 2> contacts; ///< where they end now, left and right of the edge, in its direction
  std::array<BodyPtr, 2> sides;        ///< what is left of them
  std::vector<NamedFace> others;       ///< the other faces
  std::array<int, 2> ends{-1, -1};     ///< of an open edge: numbers of those that it runs into, which still have its corners
};

/// `edge`: a path along edges at which two faces each meet; `widths`: to its left and right, measured straight from it.
/// Fails with LM-H025 (an edge on which not two faces end, or the same faces on both sides: place), LM-H026 (a width
/// does not fit on the faces: place, width), and as dividing them does.
Expected<CutBack> cutBack(const BodyPtr& body, const nurbs::Path& edge, const std::array<double, 2>& widths, const Context& cx);

/// The same where the faces are to end along given curves on them, which go on beyond their borders, but at ends where they fade: there
/// they end on the edge, which may go on.
Expected<CutBack> cutBackAt(const BodyPtr& body, const nurbs::Path& edge, const EdgeSides& sides, const std::array<nurbs::Path, 2>& contacts, const std::array<bool, 2>& fades, const Context& cx);

/// A closed edge, and where the faces on its sides are to end.
struct RingCut {
  const nurbs::Path* edge = nullptr;
  const EdgeSides* sides = nullptr;
  const std::array<nurbs::Path, 2>* contacts = nullptr;
};

/// All faces of a body whose faces beside several closed edges end along curves, every face cut once by all that lie on it. Fails
/// with LM-H025 (the faces on both sides of an edge hang together beside others), LM-H026 (these edges do not keep apart), and as dividing does.
Expected<std::vector<NamedFace>> cutBackRings(const BodyPtr& body, const std::vector<RingCut>& rings, const Context& cx);

/// Faces of a body that was cut knitted again. Fails with LM-H028 (a solid does not close again: places), and as knitting does.
Expected<BodyPtr> knittedAgain(const std::vector<NamedFace>& faces, bool solid, const Context& cx);

/// A body that was cut back put together with faces between, those at the ends cut by their borders. Fails with LM-H027 (a border does
/// not lie on the face at the end: how far, place), LM-H028 (a solid does not close again: places), and as knitting does.
Expected<BodyPtr> rejoined(const CutBack& cut, const std::vector<NamedFace>& between, const std::array<nurbs::Path, 2>& borders, bool closed,
                           bool solid, const nurbs::Path& edge, const Context& cx);

} // namespace lumsk::brep
