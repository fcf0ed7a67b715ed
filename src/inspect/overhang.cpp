#include "inspect/edge_sides.h"
#include "inspect/print_form.h"

#include <algorithm>
#include <numeric>
#include <unordered_map>

namespace lumsk::inspect {

namespace {

constexpr int kDirections = 300;
constexpr double kBedCounts = 0.25;   ///< of what stands on the bed, against the overhang
constexpr double kFlatShare = 0.004;  ///< of the area: flat faces as large as this say a direction
constexpr double kSameDirection = 0.9995;
constexpr double kLevelMm = 1e-6;     ///< places as high as one another
constexpr double kLooksDown = 0.02;   ///< cosine: what begins with material above it
constexpr size_t kMostPatches = 12, kMostIslands = 50;

/// A place per point.
std::vector<Vec3> placesOf(const PrintForm& f) {
  std::vector<Vec3> out(size_t(f.points), Vec3::Zero());
  for (size_t i = 0; i < f.pointOf.size(); ++i) out[size_t(f.pointOf[i])] = f.mesh.points[i];
  return out;
}

} // namespace

Overhang overhangOf(const PrintForm& f, const Standing& s) {
  Overhang out;
  const double bed = f.lowest(s.up) + s.layerMm, least = std::cos(radFromDeg(s.leastDeg));
  Joined sets(size_t(f.points));
  struct Piece {
    int point;
    double area;
    Vec3 at;
  };
  std::vector<Piece> pieces;
  for (const auto& t : f.mesh.triangles) {
    const auto [a, b, c] = f.cornersAt(t);
    const double area = 0.5 * (b - a).cross(c - a).norm();
    std::array<double, 3> over, above, on;
    for (size_t k = 0; k < 3; ++k) {
      over[k] = -f.mesh.normals[size_t(t[k])].dot(s.up) - least;
      above[k] = f.mesh.points[size_t(t[k])].dot(s.up) - bed;
      on[k] = -above[k];
    }
    const double hangs = area * shareWhere(over, above);
    out.bedMm2 += area * shareWhere(over, on);
    if (!(hangs > 0)) continue;
    out.areaMm2 += hangs;
    const auto p = f.pointsAt(t);
    sets.join(p[0], p[1]), sets.join(p[0], p[2]);
    pieces.push_back({p[0], hangs, (a + b + c) / 3});
  }
  std::map<int, Overhang::Patch> patches;
  std::map<int, double> largest;
  for (const Piece& p : pieces) {
    Overhang::Patch& to = patches.try_emplace(sets.of(p.point), Overhang::Patch{0, p.at}).first->second;
    to.areaMm2 += p.area;
    double& most = largest[sets.of(p.point)];
    if (p.area > most) most = p.area, to.at = p.at;
  }
  for (const auto& [name, p] : patches) out.patches.push_back(p);
  std::sort(out.patches.begin(), out.patches.end(), [](const auto& a, const auto& b) { return a.areaMm2 > b.areaMm2; });
  if (out.patches.size() > kMostPatches) out.patches.resize(kMostPatches);
  return out;
}

Vec3 bestUp(const PrintForm& f, const Standing& s, const Context& cx) {
  std::vector<Vec3> normals, flats; // of flat faces: the sum of their areas' vectors
  std::vector<double> areas;
  double all = 0;
  std::unordered_map<std::uint64_t, size_t> flatOf; // by direction, in a coarse grid
  for (const auto& t : f.mesh.triangles) {
    const auto [a, b, c] = f.cornersAt(t);
    const Vec3 n = 0.5 * (b - a).cross(c - a);
    areas.push_back(n.norm());
    normals.push_back(n.norm() > 0 ? Vec3(n.normalized()) : Vec3(Vec3::Zero()));
    all += n.norm();
    std::uint64_t key = 0;
    for (int k = 0; k < 3; ++k) key = key * 1024 + std::uint64_t(std::lround(normals.back()[k] * 100) + 128);
    const auto [at, fresh] = flatOf.try_emplace(key, flats.size());
    if (fresh) flats.push_back(Vec3::Zero());
    flats[at->second] += n;
  }
  std::vector<Vec3> candidates;
  for (int k = 0; k < 3; ++k) candidates.push_back(Vec3::Unit(k)), candidates.push_back(-Vec3::Unit(k));
  for (const Vec3& flat : flats)
    if (flat.norm() > kFlatShare * all) candidates.push_back(-flat.normalized()); // it lies on the bed
  const double golden = kPi * (3 - std::sqrt(5.0));
  for (int i = 0; i < kDirections; ++i) {
    const double z = 1 - (2.0 * i + 1) / kDirections, r = std::sqrt(1 - z * z);
    candidates.emplace_back(r * std::cos(golden * i), r * std::sin(golden * i), z);
  }
  const double least = std::cos(radFromDeg(s.leastDeg));
  Vec3 best = s.up;
  double bestCost = 1e300;
  for (const Vec3& up : candidates) {
    if (cx.stopped()) return best;
    const double bed = f.lowest(up) + s.layerMm;
    double cost = 0;
    for (size_t i = 0; i < areas.size(); ++i) {
      if (-normals[i].dot(up) <= least) continue;
      const auto corners = f.cornersAt(f.mesh.triangles[i]);
      const bool on = std::all_of(corners.begin(), corners.end(), [&](const Vec3& p) { return p.dot(up) < bed; });
      cost += on ? (-normals[i].dot(up) > kSameDirection ? -kBedCounts * areas[i] : 0) : areas[i];
    }
    if (cost < bestCost - 1e-6 * all) bestCost = cost, best = up;
  }
  return best;
}

std::vector<Vec3> islandsOf(const PrintForm& f, const Standing& s) {
  const std::vector<Vec3> places = placesOf(f);
  const size_t n = places.size();
  std::vector<double> height(n);
  std::vector<Vec3> normal(n, Vec3::Zero());
  for (size_t i = 0; i < n; ++i) height[i] = places[i].dot(s.up);
  std::vector<std::vector<int>> around(n);
  for (const auto& t : f.mesh.triangles) {
    const auto p = f.pointsAt(t);
    const auto [a, b, c] = f.cornersAt(t);
    for (size_t k = 0; k < 3; ++k) {
      normal[size_t(p[k])] += (b - a).cross(c - a);
      around[size_t(p[k])].push_back(p[(k + 1) % 3]);
      around[size_t(p[(k + 1) % 3])].push_back(p[k]);
    }
  }
  std::vector<int> order(n);
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(), [&](int a, int b) { return height[size_t(a)] < height[size_t(b)]; });
  // What has begun grows upwards; where two meet, the younger one ends: its persistence (Edelsbrunner, Letscher &
  // Zomorodian 2002) says how high it stood alone.
  Joined sets(n);
  std::vector<char> seen(n, 0);
  std::vector<int> birth(n, -1);
  std::vector<double> alone(n, -1);
  for (const int v : order) {
    seen[size_t(v)] = 1;
    birth[size_t(v)] = v;
    for (const int w : around[size_t(v)]) {
      if (!seen[size_t(w)]) continue;
      int a = sets.of(v), b = sets.of(w);
      if (a == b) continue;
      if (height[size_t(birth[size_t(a)])] < height[size_t(birth[size_t(b)])]) std::swap(a, b); // a is the younger
      alone[size_t(birth[size_t(a)])] = height[size_t(v)] - height[size_t(birth[size_t(a)])];
      const int older = birth[size_t(b)];
      sets.join(b, a);
      birth[size_t(b)] = older;
    }
  }
  for (const int v : order)
    if (sets.of(v) == v) alone[size_t(birth[size_t(v)])] = 1e300; // the lowest of a shell
  const double bed = height[size_t(order.front())] + s.layerMm;
  std::vector<Vec3> out;
  for (const int v : order) {
    if (out.size() >= kMostIslands) break;
    const auto i = size_t(v);
    if (alone[i] < std::max(s.layerMm, kLevelMm) || height[i] < bed) continue;
    // Level places beside it begin together: what looks down anywhere there begins in the air.
    Vec3 looks = normal[i];
    for (const int w : around[i])
      if (std::abs(height[size_t(w)] - height[i]) < kLevelMm) looks += normal[size_t(w)];
    if (looks.dot(s.up) < -kLooksDown * looks.norm()) out.push_back(places[i]);
  }
  return out;
}

} // namespace lumsk::inspect
