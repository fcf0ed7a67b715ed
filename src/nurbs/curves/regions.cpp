#include "nurbs/curves/regions.h"

#include <Eigen/Geometry>

namespace lumsk::nurbs {

namespace {

constexpr int kPerSegment = 24;
constexpr double kParallel = 1e-3; ///< sine between planes that are one
constexpr double kFlatTolerances = 10; ///< out of a plane by at most so many point tolerances

/// A closed polyline as its plane sees it.
std::vector<Vec2> flattened(const Points& ring, const Frame& plane) {
  std::vector<Vec2> out(size_t(ring.rows()));
  for (size_t i = 0; i < out.size(); ++i) out[i] = plane.local(ring.row(Eigen::Index(i)).transpose()).head<2>();
  return out;
}

bool inside(const std::vector<Vec2>& ring, const Vec2& q) {
  bool in = false;
  for (size_t i = 0; i < ring.size(); ++i) {
    const Vec2 &a = ring[i], &b = ring[(i + 1) % ring.size()];
    if ((a.y() > q.y()) != (b.y() > q.y()) && q.x() < a.x() + (b.x() - a.x()) * (q.y() - a.y()) / (b.y() - a.y())) in = !in;
  }
  return in;
}

} // namespace

bool goesRound(const Path& closed, const Vec3& place) {
  const Points ring = polyline(closed, kPerSegment);
  const Frame plane = fitPlane(ring).frame;
  return closed.closed() && inside(flattened(ring, plane), plane.local(place).head<2>());
}

Nesting nestingOf(const std::vector<const Path*>& curves, LengthTolerance point) {
  const size_t n = curves.size();
  std::vector<Points> rings;
  std::vector<PlaneOfPoints> planes;
  std::vector<std::vector<Vec2>> flats;
  std::vector<Eigen::AlignedBox3d> boxes;
  const double flat = kFlatTolerances * point.mm;
  for (const Path* c : curves) {
    rings.push_back(polyline(*c, kPerSegment));
    planes.push_back(fitPlane(rings.back()));
    flats.push_back(flattened(rings.back(), planes.back().frame));
    boxes.emplace_back();
    for (Eigen::Index i = 0; i < rings.back().rows(); ++i) boxes.back().extend(Vec3(rings.back().row(i).transpose()));
  }
  std::vector<std::vector<int>> around(n); // of every curve: those that it lies in
  for (size_t i = 0; i < n; ++i)
    for (size_t j = 0; j < n; ++j) {
      if (i == j || !curves[i]->closed() || !curves[j]->closed() || !planes[j].unique || planes[j].deviationMm > flat) continue;
      const Vec3 p = rings[i].row(0).transpose();
      if (boxes[j].exteriorDistance(p) > flat) continue;
      const Vec3 seen = planes[j].frame.local(p);
      if (std::abs(seen.z()) <= flat && planes[i].unique && planes[i].frame.normal().cross(planes[j].frame.normal()).norm() < kParallel &&
          inside(flats[j], seen.head<2>()))
        around[i].push_back(int(j));
    }
  Nesting out{std::vector<bool>(n, false), std::vector<std::vector<int>>(n)};
  for (size_t i = 0; i < n; ++i) {
    if (around[i].size() % 2 == 0) continue;
    out.opening[i] = true;
    for (int j : around[i])
      if (around[size_t(j)].size() + 1 == around[i].size()) out.holes[size_t(j)].push_back(int(i));
  }
  return out;
}

} // namespace lumsk::nurbs
