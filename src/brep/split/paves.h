#pragma once
#include "brep/split/net.h"

namespace lumsk::brep::split {

/// Gives all cuts and edges their paves: ends of cuts, crossings, vertices that lie on cuts. Cuts that run along an edge
/// or along another cut are dropped; those that leave an edge tangentially end where they are clear of it. May be called
/// again when cuts have changed.
void pave(Net& net);

/// An end of a cut at which nothing else is.
struct LooseEnd {
  int cut = -1;
  bool atEnd = false;
};
std::vector<LooseEnd> looseEnds(const Net& net);

} // namespace lumsk::brep::split
