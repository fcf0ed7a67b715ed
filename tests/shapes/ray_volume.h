#pragma once
#include "brep/mesh.h"

#include <Eigen/Geometry>
#include <functional>

namespace lumsk::test {

/// Volumes of what lies in closed meshes, by rays: `counts` says of which meshes a place lies in whether it counts. The
/// direction is no one of the bodies' own. No result of combining bodies is looked at.
inline std::vector<double> rayVolumes(const std::vector<brep::SolidMesh>& meshes, int cells,
                                      const std::vector<std::function<bool(const std::vector<char>&)>>& counts) {
  const Eigen::Matrix3d turn = (Eigen::AngleAxisd(0.3, Vec3(1, 2, 3).normalized()) * Eigen::AngleAxisd(1.1, Vec3(-2, 1, 0.5).normalized())).toRotationMatrix();
  Eigen::AlignedBox2d box;
  std::vector<std::vector<Vec3>> points;
  for (const auto& m : meshes) {
    points.emplace_back();
    for (const Vec3& p : m.points) points.back().push_back(turn * p), box.extend(points.back().back().head<2>());
  }
  const double step = box.sizes().maxCoeff() / cells;
  const Vec2 low = box.min() - Vec2(0.31 * step, 0.17 * step);
  struct Crossing {
    float z;
    int mesh;
  };
  std::vector<std::vector<Crossing>> rays(size_t((cells + 2) * (cells + 2)));
  for (size_t k = 0; k < meshes.size(); ++k)
    for (const auto& t : meshes[k].triangles) {
      const Vec3 &a = points[k][size_t(t[0])], &b = points[k][size_t(t[1])], &c = points[k][size_t(t[2])];
      const auto cross = [](const Vec2& u, const Vec2& v) { return u.x() * v.y() - u.y() * v.x(); };
      const Vec2 u = (b - a).head<2>(), v = (c - a).head<2>();
      const double area = cross(u, v);
      if (area == 0) continue;
      Eigen::AlignedBox2d in;
      for (const Vec3* p : {&a, &b, &c}) in.extend(p->head<2>());
      const int i0 = int(std::ceil((in.min().x() - low.x()) / step)), i1 = int(std::floor((in.max().x() - low.x()) / step));
      const int j0 = int(std::ceil((in.min().y() - low.y()) / step)), j1 = int(std::floor((in.max().y() - low.y()) / step));
      for (int i = std::max(i0, 0); i <= i1; ++i)
        for (int j = std::max(j0, 0); j <= j1; ++j) {
          const Vec2 p = low + step * Vec2(i, j) - a.head<2>();
          const double s = cross(p, v) / area, w = cross(u, p) / area;
          if (s >= 0 && w >= 0 && s + w < 1) rays[size_t(i * (cells + 2) + j)].push_back({float(a.z() + s * (b - a).z() + w * (c - a).z()), int(k)});
        }
    }
  std::vector<double> out(counts.size(), 0);
  std::vector<char> inside(meshes.size());
  for (auto& ray : rays) {
    std::sort(ray.begin(), ray.end(), [](const Crossing& a, const Crossing& b) { return a.z < b.z; });
    std::fill(inside.begin(), inside.end(), 0);
    for (size_t i = 0; i + 1 < ray.size(); ++i) {
      inside[size_t(ray[i].mesh)] ^= 1;
      for (size_t k = 0; k < counts.size(); ++k)
        if (counts[k](inside)) out[k] += step * step * double(ray[i + 1].z - ray[i].z);
    }
  }
  return out;
}

} // namespace lumsk::test
