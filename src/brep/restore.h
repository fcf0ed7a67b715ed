#pragma once
#include "brep/reborder.h"

namespace lumsk::brep {

struct Restored : Rebordered {
  int openings = 0, edges = 0; ///< that are gone
};

/// Faces without some of their open edges: as far as their surfaces go, or up to the edges that are left, which go on
/// straight. An edge of an opening within a face stands for the whole opening. `faces`: all open edges of them. Surfaces
/// stay exactly what they are; a face that lost all its trims is untrimmed again. Notes also of picked edges at which the
/// surface itself ends (LM-C108). Fails with LM-C020 (nothing is trimmed there), LM-C021 (an edge joins two faces), LM-C022
/// (the surface has no end there), as `Division::of` and `knitFaces` do.
Expected<Restored> restored(const Body& b, const std::vector<int>& edges, const std::vector<int>& faces,
                            const Context& cx);

} // namespace lumsk::brep
