#include "inspect/print_form.h"

#include "brep/shaded_mesh.h"

#include <algorithm>
#include <cstring>
#include <numeric>
#include <unordered_map>

namespace lumsk::inspect {

namespace {

constexpr double kTurnStepDeg = 1.0;

struct VecHash {
  size_t operator()(const Vec3& p) const {
    size_t h = 0;
    for (int k = 0; k < 3; ++k) {
      const double v = p[k] + 0.0; // -0 is 0
      std::uint64_t bits;
      std::memcpy(&bits, &v, sizeof bits);
      h = h * 0x9E3779B97F4A7C15ull + (bits ^ (bits >> 29));
    }
    return h;
  }
};

std::uint64_t sideKey(int a, int b) { return (std::uint64_t(std::uint32_t(std::min(a, b))) << 32) | std::uint32_t(std::max(a, b)); }

} // namespace

Joined::Joined(size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), 0); }
int Joined::of(int i) {
  while (parent_[size_t(i)] != i) i = parent_[size_t(i)] = parent_[size_t(parent_[size_t(i)])];
  return i;
}

double PrintForm::lowest(const Vec3& up) const {
  double low = 1e300;
  for (const Vec3& p : mesh.points) low = std::min(low, p.dot(up));
  return low;
}

Expected<PrintForm> printForm(const brep::Body& b, const brep::MeshLimits& limits, const Context& cx) {
  LUMSK_TRY(mesh, brep::shadedMesh(b, limits, cx));
  PrintForm f;
  f.mesh = std::move(mesh);
  std::unordered_map<Vec3, int, VecHash> seen;
  for (const Vec3& p : f.mesh.points) f.pointOf.push_back(seen.try_emplace(p, int(seen.size())).first->second);
  f.points = int(seen.size());
  std::unordered_map<std::uint64_t, std::pair<int, Vec3>> sides; // forward less backward, and how often in thousands
  for (const auto& t : f.mesh.triangles) {
    const auto p = f.pointsAt(t);
    for (size_t k = 0; k < 3; ++k) {
      auto& s = sides.try_emplace(sideKey(p[k], p[(k + 1) % 3]), 0, f.mesh.points[size_t(t[k])]).first->second;
      s.first += 1000 + (p[k] < p[(k + 1) % 3] ? 1 : -1);
    }
  }
  for (const auto& [key, s] : sides)
    if (s.first != 2000) ++f.openSides, f.openAt = s.second;
  return f;
}

std::vector<Shell> shellsOf(const PrintForm& f) {
  Joined sets(size_t(f.points));
  for (const auto& t : f.mesh.triangles) {
    const auto p = f.pointsAt(t);
    sets.join(p[0], p[1]), sets.join(p[0], p[2]);
  }
  std::map<int, Shell> shells;
  for (const auto& t : f.mesh.triangles) {
    const auto [a, b, c] = f.cornersAt(t);
    Shell& s = shells.try_emplace(sets.of(f.pointOf[size_t(t[0])]), Shell{0, a}).first->second;
    s.volumeMm3 += a.dot(b.cross(c)) / 6;
  }
  std::vector<Shell> out;
  for (const auto& [name, s] : shells) out.push_back(s);
  std::sort(out.begin(), out.end(), [](const Shell& a, const Shell& b) { return std::abs(a.volumeMm3) > std::abs(b.volumeMm3); });
  return out;
}

namespace {

/// Sizes across at every turn of a quarter round, and the height.
template <class Each> void turnsOf(const PrintForm& f, const Vec3& up, const Each& each) {
  const Vec3 across = std::abs(up.x()) < 0.9 ? Vec3((Vec3::UnitX() - up.x() * up).normalized()) : Vec3((Vec3::UnitY() - up.y() * up).normalized());
  const Vec3 along = up.cross(across);
  std::vector<Vec2> flat;
  double low = 1e300, high = -1e300;
  for (const Vec3& p : f.mesh.points) {
    flat.emplace_back(p.dot(across), p.dot(along));
    low = std::min(low, p.dot(up)), high = std::max(high, p.dot(up));
  }
  for (double turn = 0; turn < 90; turn += kTurnStepDeg) {
    const Vec2 x(std::cos(radFromDeg(turn)), std::sin(radFromDeg(turn))), y(-x.y(), x.x());
    Vec2 least = Vec2::Constant(1e300), most = -least;
    for (const Vec2& p : flat) {
      const Vec2 q(p.dot(x), p.dot(y));
      least = least.cwiseMin(q), most = most.cwiseMax(q);
    }
    if (!each(turn, Vec3(most.x() - least.x(), most.y() - least.y(), high - low))) return;
  }
}

} // namespace

PrintSize printSize(const PrintForm& f, const Vec3& up) {
  PrintSize out;
  turnsOf(f, up, [&](double turn, const Vec3& mm) {
    if (turn == 0 || mm.head<2>().maxCoeff() < out.mm.head<2>().maxCoeff() - 1e-3) out = {mm, turn};
    return true;
  });
  return out;
}

bool fitsInto(const PrintForm& f, const Vec3& up, const Vec3& space) {
  bool fits = false;
  turnsOf(f, up, [&](double, const Vec3& mm) {
    fits = mm.z() <= space.z() && ((mm.x() <= space.x() && mm.y() <= space.y()) || (mm.y() <= space.x() && mm.x() <= space.y()));
    return !fits && mm.z() <= space.z();
  });
  return fits;
}

} // namespace lumsk::inspect
