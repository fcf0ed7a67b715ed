#include "brep/foreign_mesh.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <RWStl_Reader.hxx>
#include <Standard_ReadLineBuffer.hxx>

#include <algorithm>
#include <cmath>
#include <sstream>
#include <unordered_map>

namespace lumsk::brep {

namespace {

class Collector : public RWStl_Reader {
public:
  SolidMesh mesh;
  Standard_Integer AddNode(const gp_XYZ& p) override {
    mesh.points.push_back(toVec(p));
    return int(mesh.points.size()) - 1;
  }
  void AddTriangle(Standard_Integer a, Standard_Integer b, Standard_Integer c) override {
    mesh.triangles.push_back({a, b, c});
  }
};

/// Points in one cell of a fine grid become one; triangles without an area go.
SolidMesh welded(const SolidMesh& in, double scale) {
  double largest = 0;
  for (const Vec3& p : in.points) largest = std::max(largest, p.cwiseAbs().maxCoeff());
  const double cell = std::max(1e-12, largest * 1e-6);
  SolidMesh out;
  std::map<std::array<std::int64_t, 3>, int> seen;
  std::vector<int> to(in.points.size());
  for (size_t i = 0; i < in.points.size(); ++i) {
    const Vec3& p = in.points[i];
    const std::array<std::int64_t, 3> key{std::llround(p.x() / cell), std::llround(p.y() / cell),
                                          std::llround(p.z() / cell)};
    const auto [at, fresh] = seen.emplace(key, int(out.points.size()));
    if (fresh) out.points.push_back(p * scale);
    to[i] = at->second;
  }
  for (const auto& t : in.triangles) {
    const std::array<int, 3> w{to[size_t(t[0])], to[size_t(t[1])], to[size_t(t[2])]};
    if (w[0] != w[1] && w[1] != w[2] && w[2] != w[0]) out.triangles.push_back(w);
  }
  return out;
}

} // namespace

Expected<SolidMesh> readMeshHere(const std::string& bytes, const std::string& name, double scale, const Context& cx) {
  return guarded("reading a mesh", [&]() -> Expected<SolidMesh> {
    const auto broken = problem("LM-F031", "'" + name + "' is not a whole STL file").tryThis("export it again");
    // The kernel's reader takes what is shorter than a first facet for the binary kind.
    constexpr size_t kShortest = 134;
    const bool text = bytes.rfind("solid", 0) == 0 && bytes.find("facet") != std::string::npos;
    std::istringstream in(text && bytes.size() < kShortest ? bytes + std::string(kShortest, '\n') : bytes,
                          std::ios::binary);
    Collector reader;
    Handle(KernelProgress) progress = new KernelProgress(cx);
    bool good = true;
    if (reader.IsAscii(in, true)) {
      Standard_ReadLineBuffer buffer(1 << 16);
      const std::streampos end = std::streampos(std::streamoff(bytes.size() + kShortest));
      // One call a solid; the buffer may hold more of them when the stream has ended.
      good = reader.ReadAscii(in, buffer, end, progress->Start());
      for (size_t before = 0; good && reader.mesh.triangles.size() > before;) {
        before = reader.mesh.triangles.size();
        if (!reader.ReadAscii(in, buffer, end, progress->Start())) break;
      }
    } else {
      std::uint32_t triangles = 0;
      if (bytes.size() >= 84) std::copy_n(bytes.data() + 80, 4, reinterpret_cast<char*>(&triangles));
      good = bytes.size() >= 84 + size_t(50) * triangles && reader.ReadBinary(in, progress->Start());
    }
    if (!good || reader.mesh.triangles.empty()) return fail(broken);
    for (const Vec3& p : reader.mesh.points)
      if (!p.allFinite()) return fail(broken);
    return welded(reader.mesh, scale);
  });
}

ShownMesh shownMesh(const SolidMesh& m, double creaseDeg) {
  ShownMesh out;
  const double smooth = std::cos(creaseDeg * kPi / 180);
  std::vector<Vec3> flat(m.triangles.size());
  std::vector<std::vector<int>> around(m.points.size());
  std::unordered_map<std::uint64_t, std::pair<int, int>> owners; // of an edge: up to two triangles
  for (size_t t = 0; t < m.triangles.size(); ++t) {
    const auto& [a, b, c] = m.triangles[t];
    const Vec3 n = (m.points[size_t(b)] - m.points[size_t(a)]).cross(m.points[size_t(c)] - m.points[size_t(a)]);
    flat[t] = n.norm() > 0 ? n.normalized() : Vec3(Vec3::UnitZ());
    for (int k = 0; k < 3; ++k) {
      around[size_t(m.triangles[t][size_t(k)])].push_back(int(t));
      const auto [lo, hi] = std::minmax(m.triangles[t][size_t(k)], m.triangles[t][size_t((k + 1) % 3)]);
      auto& o = owners.try_emplace((std::uint64_t(lo) << 32) | std::uint32_t(hi), -1, -1).first->second;
      (o.first < 0 ? o.first : o.second) = int(t);
    }
  }
  for (size_t t = 0; t < m.triangles.size(); ++t) {
    std::array<int, 3> corners{};
    for (size_t k = 0; k < 3; ++k) {
      const int p = m.triangles[t][k];
      Vec3 n = Vec3::Zero();
      for (int other : around[size_t(p)])
        if (flat[size_t(other)].dot(flat[t]) > smooth) n += flat[size_t(other)];
      corners[k] = int(out.mesh.points.size());
      out.mesh.points.push_back(m.points[size_t(p)]);
      out.mesh.normals.push_back(n.normalized());
    }
    out.mesh.triangles.push_back(corners);
  }
  for (const auto& [key, o] : owners)
    if (o.second < 0 || flat[size_t(o.first)].dot(flat[size_t(o.second)]) < smooth)
      out.edges.push_back({m.points[size_t(key >> 32)], m.points[size_t(key & 0xffffffffu)]});
  return out;
}

} // namespace lumsk::brep
