#include "nurbs/curves/regions.h"

#include <Eigen/Geometry>

namespace lumsk::nurbs {

namespace {

constexpr int kPerSegment = 24;
constexpr double kParallel = 1e-3; ///< sine between planes that are one
constexpr double kFlatTolerances = 10; ///< out of a plane by at most so many point tolerances

bool inside(const Points& ring, const Frame& plane, const Vec3& p) {
  const Vec3 q = plane.local(p);
  bool in = false;
  for (Eigen::Index i = 0, n = ring.rows(); i < n; ++i) {
    const Vec3 a = plane.local(ring.row(i).transpose()), b = plane.local(ring.row((i + 1) % n).transpose());
    if ((a.y() > q.y()) != (b.y() > q.y()) && q.x() < a.x() + (b.x() - a.x()) * (q.y() - a.y()) / (b.y() - a.y())) in = !in;
  }
  return in;
}

} // namespace

bool goesRound(const Path& closed, const Vec3& place) {
  const Points ring = polyline(closed, kPerSegment);
  return closed.closed() && inside(ring, fitPlane(ring).frame, place);
}

Nesting nestingOf(const std::vector<const Path*>& curves, LengthTolerance point) {
  const size_t n = curves.size();
  std::vector<Points> rings;
  std::vector<PlaneOfPoints> planes;
  std::vector<Eigen::AlignedBox3d> boxes;
  const double flat = kFlatTolerances * point.mm;
  for (const Path* c : curves) {
    rings.push_back(polyline(*c, kPerSegment));
    planes.push_back(fitPlane(rings.back()));
    boxes.emplace_back();
    for (Eigen::Index i = 0; i < rings.back().rows(); ++i) boxes.back().extend(Vec3(rings.back().row(i).transpose()));
  }
  std::vector<std::vector<int>> around(n); // of every curve: those that it lies in
  for (size_t i = 0; i < n; ++i)
    for (size_t j = 0; j < n; ++j) {
      if (i == j || !curves[i]->closed() || !curves[j]->closed() || !planes[j].unique || planes[j].deviationMm > flat) continue;
      const Vec3 p = rings[i].row(0).transpose();
      if (boxes[j].exteriorDistance(p) > flat) continue;
      if (std::abs(planes[j].frame.local(p).z()) <= flat && planes[i].unique &&
          planes[i].frame.normal().cross(planes[j].frame.normal()).norm() < kParallel && inside(rings[j], planes[j].frame, p))
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
