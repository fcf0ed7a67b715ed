#pragma once
#include "nurbs/loft/loft_across.h"
#include "nurbs/loft/loft_ends.h"

namespace lumsk::nurbs {

/// An outer guide, or the line through the ends of open sections, along which a loft's skin flows on.
struct LoftSide {
  Side side = FirstU;
  LoftEndOptions flow;                    ///< `Angle`, `G1` to `G3`
  std::vector<double> keep;               ///< u of inner guides, which stay
  std::vector<CurveDerivatives> sections; ///< how each section leaves the side; of points nought
  std::array<int, 2> endOrders{};         ///< to which the skin's ends stay as they are
  std::string called;                     ///< in problems; empty: "the side at starts" or "at ends"
  std::vector<std::string> sectionsCalled; ///< empty: "section 1", ...
};

/// A side that leans or flows on into a neighbour.
inline bool flowsOver(Meets side) { return side != Meets::Free && !atMirror(side); }

/// Changes how a skin (u along the sections, v across) leaves a side, by as little as can be along the sections: the
/// derivative across the side is brought into the plane that is asked for, and higher ones bend as the neighbour does.
/// Sections and ends stay. Fails with LM-L029 where a section does not leave the side so itself, LM-L013 where the side
/// does not lie on its neighbour, LM-L005 for an angle to a line that is not planar. `join` takes the worst.
Expected<Surface> flowingOver(const Surface& s, const LoftSide& side, const LoftAcross& across, const Context& cx,
                              SkinJoin& join);

} // namespace lumsk::nurbs
