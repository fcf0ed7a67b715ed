#pragma once
#include "base/vec.h"

#include <array>
#include <functional>
#include <vector>

namespace lumsk::nurbs {

/// Arcs between nodes, put end to end.
struct ChainLink {
  int arc = 0;
  bool forward = true;
};
struct Chain {
  std::vector<ChainLink> links;
  bool closed = false;
};

/// Every arc once, in chains as long as can be: at a node its ends are paired two by two, those first that go on in one
/// another with the least turning. `nodes`: the two nodes of every arc; `leaving`: unit direction in which an arc
/// leaves its first or second node, asked for only where more than two ends meet.
std::vector<Chain> chainsOf(const std::vector<std::array<int, 2>>& nodes,
                            const std::function<Vec3(int arc, bool first)>& leaving);

} // namespace lumsk::nurbs
