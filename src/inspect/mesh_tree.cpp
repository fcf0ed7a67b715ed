#include "inspect/mesh_tree.h"

#include <BVH_Traverse.hxx>
#include <BVH_Triangulation.hxx>

#include <algorithm>

namespace lumsk::inspect {

/// Building the tree sorts the elements: each says in its fourth number which triangle it was, counted over all meshes.
struct MeshTree::Set : BVH_Triangulation<double, 3> {
  opencascade::handle<BVH_Tree<double, 3>> tree;
  std::vector<int> firstOf; ///< number of each mesh's first triangle
};

namespace {

constexpr double kGrazing = 0.02; ///< cosine: rays that nearly lie in a triangle do not leave through it

using Bounds = BVH_Box<double, 3>::BVH_VecNt;

Vec3 toVec(const Bounds& b) { return {b.x(), b.y(), b.z()}; }

/// The point of a triangle that is nearest to p, as weights of its corners.
Vec3 nearestWeights(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 ab = b - a, ac = c - a, ap = p - a;
  const double d1 = ab.dot(ap), d2 = ac.dot(ap);
  if (d1 <= 0 && d2 <= 0) return {1, 0, 0};
  const Vec3 bp = p - b;
  const double d3 = ab.dot(bp), d4 = ac.dot(bp);
  if (d3 >= 0 && d4 <= d3) return {0, 1, 0};
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) return {1 - d1 / (d1 - d3), d1 / (d1 - d3), 0};
  const Vec3 cp = p - c;
  const double d5 = ab.dot(cp), d6 = ac.dot(cp);
  if (d6 >= 0 && d5 <= d6) return {0, 0, 1};
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) return {1 - d2 / (d2 - d6), 0, d2 / (d2 - d6)};
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const double w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
    return {0, 1 - w, w};
  }
  const double sum = va + vb + vc;
  return {va / sum, vb / sum, vc / sum};
}

template <class Set> class Search : public BVH_Traverse<double, 3, void, double> {
public:
  explicit Search(const Set& set) : set_(set) {}
  OnMesh best;

  Standard_Boolean IsMetricBetter(const double& l, const double& r) const override { return l < r; }
  Standard_Boolean RejectMetric(const double& m) const override { return m > best.distanceMm; }

protected:
  /// Corners of a triangle of the set, and which it is.
  std::array<Vec3, 3> corners(int index, OnMesh& which) const {
    const BVH_Vec4i e = BVH::Array<int, 4>::Value(set_.Elements, index);
    which.mesh = int(std::upper_bound(set_.firstOf.begin(), set_.firstOf.end(), e.w()) - set_.firstOf.begin()) - 1;
    which.triangle = e.w() - set_.firstOf[size_t(which.mesh)];
    const auto at = [&](int i) { return toVec(BVH::Array<double, 3>::Value(set_.Vertices, i)); };
    return {at(e.x()), at(e.y()), at(e.z())};
  }

private:
  const Set& set_;
};

template <class Set> class Exit final : public Search<Set> {
public:
  Exit(const Set& s, const Vec3& from, const Vec3& unit, double least)
      : Search<Set>(s), from_(from), unit_(unit), least_(least) {
    this->best.distanceMm = 1e300;
  }
  Standard_Boolean RejectNode(const Bounds& low, const Bounds& high, double& metric) const override {
    double enter = 0, leave = this->best.distanceMm;
    for (int k = 0; k < 3; ++k) {
      const double lo = toVec(low)[k], hi = toVec(high)[k];
      if (std::abs(unit_[k]) < 1e-300) {
        if (from_[k] < lo || from_[k] > hi) return true;
        continue;
      }
      const double a = (lo - from_[k]) / unit_[k], b = (hi - from_[k]) / unit_[k];
      enter = std::max(enter, std::min(a, b));
      leave = std::min(leave, std::max(a, b));
    }
    metric = enter;
    return enter > leave;
  }
  Standard_Boolean Accept(const int index, const double&) override {
    OnMesh on;
    const auto [a, b, c] = this->corners(index, on);
    const Vec3 e1 = b - a, e2 = c - a, p = unit_.cross(e2);
    const double det = e1.dot(p); // (e1 x e2) . -unit: negative when met from behind
    const double area = e1.cross(e2).norm();
    if (!(det < -kGrazing * area) || !(area > 0)) return false;
    const Vec3 s = from_ - a;
    const double u = s.dot(p) / det;
    if (u < -1e-9 || u > 1 + 1e-9) return false;
    const Vec3 q = s.cross(e1);
    const double v = unit_.dot(q) / det;
    if (v < -1e-9 || u + v > 1 + 1e-9) return false;
    const double w = e2.dot(q) / det;
    if (!(w > least_) || w >= this->best.distanceMm) return false;
    on.weights = {1 - u - v, u, v};
    on.distanceMm = w;
    on.point = from_ + w * unit_;
    this->best = on;
    return true;
  }

private:
  Vec3 from_, unit_;
  double least_;
};

template <class Set> class Nearest final : public Search<Set> {
public:
  Nearest(const Set& s, const Vec3& p) : Search<Set>(s), p_(p) { this->best.distanceMm = 1e300; }
  Standard_Boolean RejectNode(const Bounds& low, const Bounds& high, double& metric) const override {
    metric = (p_ - p_.cwiseMax(toVec(low)).cwiseMin(toVec(high))).norm();
    return metric > this->best.distanceMm;
  }
  Standard_Boolean Accept(const int index, const double&) override {
    OnMesh on;
    const auto [a, b, c] = this->corners(index, on);
    on.weights = nearestWeights(p_, a, b, c);
    on.point = on.weights.x() * a + on.weights.y() * b + on.weights.z() * c;
    on.distanceMm = (on.point - p_).norm();
    if (on.distanceMm >= this->best.distanceMm) return false;
    this->best = on;
    return true;
  }

private:
  Vec3 p_;
};

} // namespace

MeshTree::MeshTree(std::vector<const brep::FaceMesh*> meshes)
    : meshes_(std::move(meshes)), set_(std::make_unique<Set>()) {
  int triangles = 0;
  for (const brep::FaceMesh* m : meshes_) {
    const int base = int(BVH::Array<double, 3>::Size(set_->Vertices));
    set_->firstOf.push_back(triangles);
    for (const Vec3& p : m->points) BVH::Array<double, 3>::Append(set_->Vertices, BVH_Vec3d(p.x(), p.y(), p.z()));
    for (const auto& t : m->triangles)
      BVH::Array<int, 4>::Append(set_->Elements, BVH_Vec4i(base + t[0], base + t[1], base + t[2], triangles++));
  }
  set_->MarkDirty();
  set_->tree = set_->BVH();
}

MeshTree::~MeshTree() = default;

std::optional<OnMesh> MeshTree::exitAlong(const Vec3& from, const Vec3& unit, double leastMm) const {
  if (set_->Size() == 0) return {};
  Exit<Set> search(*set_, from, unit, leastMm);
  if (search.Select(set_->tree) == 0) return {};
  return search.best;
}

std::optional<OnMesh> MeshTree::nearest(const Vec3& p) const {
  if (set_->Size() == 0) return {};
  Nearest<Set> search(*set_, p);
  if (search.Select(set_->tree) == 0) return {};
  return search.best;
}

Vec3 MeshTree::normalOf(const OnMesh& on) const {
  const brep::FaceMesh& m = *meshes_[size_t(on.mesh)];
  const auto& t = m.triangles[size_t(on.triangle)];
  const Vec3& a = m.points[size_t(t[0])];
  return (m.points[size_t(t[1])] - a).cross(m.points[size_t(t[2])] - a).normalized();
}

Vec2 MeshTree::parametersAt(const OnMesh& on) const {
  const brep::FaceMesh& m = *meshes_[size_t(on.mesh)];
  if (m.places.empty()) return Vec2::Zero();
  const auto& t = m.triangles[size_t(on.triangle)];
  return on.weights.x() * m.places[size_t(t[0])] + on.weights.y() * m.places[size_t(t[1])] +
         on.weights.z() * m.places[size_t(t[2])];
}

} // namespace lumsk::inspect
