#include "nurbs/curves/chains.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

struct End {
  int arc;
  bool first;
  int code() const { return 2 * arc + (first ? 0 : 1); }
};

/// [code of an end]: code of the end that it goes on in, -1: none.
std::vector<int> pairs(const std::vector<std::array<int, 2>>& nodes,
                       const std::function<Vec3(int arc, bool first)>& leaving) {
  int count = 0;
  for (const auto& n : nodes) count = std::max({count, n[0] + 1, n[1] + 1});
  std::vector<std::vector<End>> at(count);
  for (int k = 0; k < int(nodes.size()); ++k)
    for (bool first : {true, false}) at[nodes[k][first ? 0 : 1]].push_back({k, first});
  std::vector<int> next(2 * nodes.size(), -1);
  for (auto& ends : at)
    while (ends.size() > 1) {
      size_t bi = 0, bj = 1;
      double best = 1e300;
      for (size_t i = 0; i < ends.size() && ends.size() > 2; ++i)
        for (size_t j = i + 1; j < ends.size(); ++j) {
          const double turn =
              angleBetweenRad(leaving(ends[i].arc, ends[i].first), -leaving(ends[j].arc, ends[j].first));
          if (turn < best) best = turn, bi = i, bj = j;
        }
      next[ends[bi].code()] = ends[bj].code();
      next[ends[bj].code()] = ends[bi].code();
      ends.erase(ends.begin() + std::ptrdiff_t(bj));
      ends.erase(ends.begin() + std::ptrdiff_t(bi));
    }
  return next;
}

} // namespace

std::vector<Chain> chainsOf(const std::vector<std::array<int, 2>>& nodes,
                            const std::function<Vec3(int arc, bool first)>& leaving) {
  const std::vector<int> next = pairs(nodes, leaving);
  std::vector<char> used(nodes.size(), 0);
  std::vector<Chain> out;
  const auto walk = [&](int arc, bool forward) {
    Chain c;
    for (;;) {
      used[arc] = 1;
      c.links.push_back({arc, forward});
      const int n = next[2 * arc + (forward ? 1 : 0)];
      if (n < 0) break;
      arc = n / 2;
      forward = n % 2 == 0;
      if (used[arc]) {
        c.closed = true;
        break;
      }
    }
    out.push_back(std::move(c));
  };
  for (int k = 0; k < int(nodes.size()); ++k) {
    if (!used[k] && next[2 * k] < 0) walk(k, true);
    if (!used[k] && next[2 * k + 1] < 0) walk(k, false);
  }
  for (int k = 0; k < int(nodes.size()); ++k)
    if (!used[k]) walk(k, true);
  return out;
}

} // namespace lumsk::nurbs
