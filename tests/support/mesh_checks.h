#pragma once
#include "brep/mesh.h"

#include <map>
#include <set>

namespace lumsk::test {

/// Pairs of triangles without a common point that cross: found by a grid of boxes, tested edge against triangle.
inline int selfCrossings(const brep::SolidMesh& m) {
  double edge = 0;
  for (const auto& t : m.triangles)
    edge += (m.points[size_t(t[0])] - m.points[size_t(t[1])]).norm() / double(m.triangles.size());
  const double cell = 2 * edge;
  std::map<std::array<int, 3>, std::vector<int>> grid;
  std::vector<std::pair<Vec3, Vec3>> boxes;
  for (const auto& t : m.triangles) {
    Vec3 low = m.points[size_t(t[0])], high = low;
    for (int i : t) low = low.cwiseMin(m.points[size_t(i)]), high = high.cwiseMax(m.points[size_t(i)]);
    boxes.emplace_back(low, high);
  }
  const auto apart = [&](int k, int l) {
    const auto& [lowK, highK] = boxes[size_t(k)];
    const auto& [lowL, highL] = boxes[size_t(l)];
    for (int c = 0; c < 3; ++c)
      if (lowK[c] > highL[c] || lowL[c] > highK[c]) return true;
    return false;
  };
  for (int k = 0; k < int(m.triangles.size()); ++k) {
    const auto& [low, high] = boxes[size_t(k)];
    for (int x = int(std::floor(low.x() / cell)); x <= int(std::floor(high.x() / cell)); ++x)
      for (int y = int(std::floor(low.y() / cell)); y <= int(std::floor(high.y() / cell)); ++y)
        for (int z = int(std::floor(low.z() / cell)); z <= int(std::floor(high.z() / cell)); ++z)
          grid[{x, y, z}].push_back(k);
  }
  const auto crosses = [&](int edgeOf, int other) {
    const auto &a = m.triangles[size_t(edgeOf)], &b = m.triangles[size_t(other)];
    const Vec3 &p = m.points[size_t(b[0])], &q = m.points[size_t(b[1])], &r = m.points[size_t(b[2])];
    const Vec3 n = (q - p).cross(r - p);
    for (int i = 0; i < 3; ++i) {
      const Vec3 &s = m.points[size_t(a[size_t(i)])], &e = m.points[size_t(a[size_t((i + 1) % 3)])];
      const double ds = n.dot(s - p), de = n.dot(e - p), eps = 1e-9 * n.norm();
      if (!((ds > eps && de < -eps) || (ds < -eps && de > eps))) continue;
      const Vec3 x = s + ds / (ds - de) * (e - s);
      const double u = n.dot((q - p).cross(x - p)), v = n.dot((r - q).cross(x - q)), w = n.dot((p - r).cross(x - r)),
                   in = 1e-7 * n.squaredNorm();
      if (u > in && v > in && w > in) return true;
    }
    return false;
  };
  std::set<std::pair<int, int>> found;
  for (const auto& [where, list] : grid)
    for (size_t i = 0; i < list.size(); ++i)
      for (size_t j = i + 1; j < list.size(); ++j) {
        if (apart(list[i], list[j])) continue;
        const auto &a = m.triangles[size_t(list[i])], &b = m.triangles[size_t(list[j])];
        bool shared = false;
        for (int x : a)
          for (int y : b) shared = shared || x == y;
        if (!shared && (crosses(list[i], list[j]) || crosses(list[j], list[i]))) found.insert({list[i], list[j]});
      }
  return int(found.size());
}

} // namespace lumsk::test
