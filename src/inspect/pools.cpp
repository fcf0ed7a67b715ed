#include "inspect/print_form.h"

#include <algorithm>
#include <queue>

namespace lumsk::inspect {

namespace {

constexpr size_t kMostPools = 20;

/// The form as cells in columns along `up`: where the middles of cells lie inside.
struct Cells {
  Eigen::Matrix3d axes; ///< rows: across, along, up
  Vec3 low = Vec3::Zero();
  double size = 1;
  Eigen::Vector3i n = Eigen::Vector3i::Zero();
  std::vector<char> filled;
  size_t at(int x, int y, int z) const { return (size_t(x) * size_t(n.y()) + size_t(y)) * size_t(n.z()) + size_t(z); }
  Vec3 place(int x, int y, int z) const { return axes.transpose() * (low + size * Vec3(x + 0.5, y + 0.5, z + 0.5)); }
};

Cells cellsOf(const PrintForm& f, const Vec3& up) {
  Cells c;
  c.axes.row(2) = up;
  c.axes.row(0) = up.unitOrthogonal();
  c.axes.row(1) = up.cross(Vec3(c.axes.row(0)));
  Vec3 low = Vec3::Constant(1e300), high = -low;
  for (const Vec3& p : f.mesh.points) low = low.cwiseMin(c.axes * p), high = high.cwiseMax(c.axes * p);
  c.size = std::max((high - low).maxCoeff() / kPoolCells, 1e-9);
  c.low = low - Vec3::Constant(1.37 * c.size); // an empty cell all around; no column through a corner
  for (int k = 0; k < 3; ++k) c.n[k] = int((high[k] - low[k]) / c.size) + 4;
  c.filled.assign(size_t(c.n.x()) * size_t(c.n.y()) * size_t(c.n.z()), 0);
  std::vector<std::vector<std::pair<double, bool>>> meets(size_t(c.n.x()) * size_t(c.n.y())); // height, whether it enters
  for (const auto& t : f.mesh.triangles) {
    std::array<Vec3, 3> q = f.cornersAt(t);
    for (Vec3& p : q) p = (c.axes * p - c.low) / c.size - Vec3(0.5, 0.5, 0.5);
    const Vec3 n = (q[1] - q[0]).cross(q[2] - q[0]);
    if (n.z() == 0) continue;
    const auto first = [](double v) { return int(std::ceil(v)); };
    for (int x = first(std::min({q[0].x(), q[1].x(), q[2].x()})); x <= std::max({q[0].x(), q[1].x(), q[2].x()}); ++x)
      for (int y = first(std::min({q[0].y(), q[1].y(), q[2].y()})); y <= std::max({q[0].y(), q[1].y(), q[2].y()}); ++y) {
        bool inside = true;
        for (size_t k = 0; k < 3 && inside; ++k) {
          // Sides belong to one of their two triangles: told by the order of their ends.
          const Vec3 *a = &q[k], *b = &q[(k + 1) % 3];
          const bool turned = std::pair(b->x(), b->y()) < std::pair(a->x(), a->y());
          if (turned) std::swap(a, b);
          double side = (b->x() - a->x()) * (y - a->y()) - (b->y() - a->y()) * (x - a->x());
          if (side == 0) side = 1e-300;
          inside = (turned ? -side : side) * n.z() > 0;
        }
        if (inside) meets[size_t(x) * size_t(c.n.y()) + size_t(y)].push_back({q[0].z() - (n.x() * (x - q[0].x()) + n.y() * (y - q[0].y())) / n.z(), n.z() < 0});
      }
  }
  for (int x = 0; x < c.n.x(); ++x)
    for (int y = 0; y < c.n.y(); ++y) {
      auto& m = meets[size_t(x) * size_t(c.n.y()) + size_t(y)];
      std::sort(m.begin(), m.end());
      int depth = 0;
      for (size_t i = 0; i + 1 < m.size(); ++i) {
        depth += m[i].second ? 1 : -1;
        if (depth > 0)
          for (int z = std::max(0, int(std::ceil(m[i].first))); z <= std::min(double(c.n.z() - 1), m[i + 1].first); ++z) c.filled[c.at(x, y, z)] = 1;
      }
    }
  return c;
}

} // namespace

std::vector<Pool> poolsOf(const PrintForm& f, const Standing& s, const Context& cx) {
  const Cells c = cellsOf(f, s.up);
  // How high it must rise before it runs out (priority flood; Barnes, Lehman & Mulla 2014).
  struct Front {
    int level, x, y, z;
    bool operator>(const Front& o) const { return level > o.level; }
  };
  std::priority_queue<Front, std::vector<Front>, std::greater<>> front;
  std::vector<int> level(c.filled.size(), -1);
  const auto reach = [&](int from, int x, int y, int z) {
    if (x < 0 || y < 0 || z < 0 || x >= c.n.x() || y >= c.n.y() || z >= c.n.z()) return;
    const size_t i = c.at(x, y, z);
    if (c.filled[i] || level[i] >= 0) return;
    level[i] = std::max(from, z);
    front.push({level[i], x, y, z});
  };
  reach(0, 0, 0, 0);
  while (!front.empty()) {
    const Front at = front.top();
    front.pop();
    if (cx.stopped()) return {};
    for (const int d : {-1, 1}) reach(at.level, at.x + d, at.y, at.z), reach(at.level, at.x, at.y + d, at.z), reach(at.level, at.x, at.y, at.z + d);
  }
  // What stands in cells below its level, by hollow.
  std::vector<char> counted(c.filled.size(), 0);
  std::vector<Pool> out;
  const double cell = c.size * c.size * c.size;
  for (int x = 0; x < c.n.x(); ++x)
    for (int y = 0; y < c.n.y(); ++y)
      for (int z = 0; z < c.n.z(); ++z) {
        if (const size_t i = c.at(x, y, z); level[i] <= z || counted[i]) continue;
        Pool pool;
        int lowestZ = c.n.z(), highestZ = 0;
        std::vector<Eigen::Vector3i> todo{{x, y, z}};
        counted[c.at(x, y, z)] = 1;
        while (!todo.empty()) {
          const Eigen::Vector3i p = todo.back();
          todo.pop_back();
          pool.volumeMm3 += cell;
          highestZ = std::max(highestZ, p.z());
          if (p.z() < lowestZ) lowestZ = p.z(), pool.at = c.place(p.x(), p.y(), p.z());
          for (int k = 0; k < 3; ++k)
            for (const int d : {-1, 1}) {
              Eigen::Vector3i q = p;
              q[k] += d;
              if (q[k] < 0 || q[k] >= c.n[k]) continue;
              const size_t j = c.at(q.x(), q.y(), q.z());
              if (!counted[j] && level[j] > q.z()) counted[j] = 1, todo.push_back(q);
            }
        }
        if (highestZ > lowestZ) out.push_back(pool);
      }
  std::sort(out.begin(), out.end(), [](const Pool& a, const Pool& b) { return a.volumeMm3 > b.volumeMm3; });
  if (out.size() > kMostPools) out.resize(kMostPools);
  return out;
}

} // namespace lumsk::inspect
