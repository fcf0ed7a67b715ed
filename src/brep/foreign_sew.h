#pragma once
#include "brep/knit.h"

namespace lumsk::brep {

/// Faces of a foreign file joined along edges that lie within a gap, as many bodies as hang together in the order of their
/// first faces; closed ones are solids. Those that meet none stay by themselves.
struct SewnApart {
  std::vector<BodyPtr> bodies;
  std::vector<size_t> firstFaces; ///< of each body, its number among the given ones
  int joinedEdges = 0;
};
Expected<SewnApart> sewnApart(const std::vector<NamedFace>& faces, LengthTolerance gap, const Context& cx);

/// A gap within which open edges of bodies that lie beside one another would be joined, a little more than what is between
/// them, and where they are, widest first; nothing where none do.
struct SewProposal {
  double gapMm = 0, widestMm = 0;
  std::vector<Vec3> where;
};
std::optional<SewProposal> sewProposal(const std::vector<BodyPtr>& skins, const Context& cx);

} // namespace lumsk::brep
