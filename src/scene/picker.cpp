#include "scene/picker.h"

#include <Eigen/LU>
#include <algorithm>

namespace lumsk::scene {

using recipe::Kind;

namespace {

constexpr double kPointReach = 9, kCurveReach = 7; ///< pixels
constexpr double kBoxMargin = 1e-9;                 ///< of a size: flat boxes are met, too

struct Near {
  double pixels = 1e300, depth = 1e300;
  Vec3 at = Vec3::Zero();
};

Near nearestOnPolyline(const std::vector<Vec3>& pts, const Camera& c, const Vec2& q) {
  Near best;
  for (size_t i = 0; i + 1 < pts.size(); ++i) {
    const Vec3 a = c.toScreen(pts[i]), b = c.toScreen(pts[i + 1]);
    const Vec2 d = (b - a).head<2>();
    const double l = d.squaredNorm();
    const double t = l > 0 ? std::clamp((q - a.head<2>()).dot(d) / l, 0.0, 1.0) : 0.0;
    const double dist = (a.head<2>() + t * d - q).norm();
    if (dist < best.pixels) best = {dist, a.z() + t * (b.z() - a.z()), pts[i] + t * (pts[i + 1] - pts[i])};
  }
  return best;
}

} // namespace

double hitMesh(const brep::FaceMesh& m, const Vec3& o, const Vec3& d) {
  double best = -1;
  if (m.low.x() <= m.high.x()) { // most faces are not under the pointer (Kay & Kajiya 1986)
    double from = 0, to = 1e300;
    for (int k = 0; k < 3; ++k) {
      const double margin = kBoxMargin * (1 + m.high[k] - m.low[k]);
      const double a = (m.low[k] - margin - o[k]) / d[k], b = (m.high[k] + margin - o[k]) / d[k];
      if (std::isnan(a) || std::isnan(b)) continue; // along a side of the box, in its plane
      from = std::max(from, std::min(a, b)), to = std::min(to, std::max(a, b));
    }
    if (from > to) return -1;
  }
  for (const auto& t : m.triangles) {
    const Vec3& a = m.points[t[0]];
    const Vec3 e1 = m.points[t[1]] - a, e2 = m.points[t[2]] - a, p = d.cross(e2);
    const double det = e1.dot(p);
    if (std::abs(det) < 1e-12) continue;
    const Vec3 s = o - a;
    const double u = s.dot(p) / det;
    if (u < 0 || u > 1) continue;
    const Vec3 q = s.cross(e1);
    const double v = d.dot(q) / det;
    if (v < 0 || u + v > 1) continue;
    const double w = e2.dot(q) / det;
    if (w > 0 && (best < 0 || w < best)) best = w;
  }
  return best;
}

namespace {

class Picker {
public:
  Picker(const Scene& d, const Camera& c, double x, double y, Kind wanted) : d_(d), c_(c), q_(x, y), wanted_(wanted) {
    std::tie(origin_, direction_) = c.ray(x, y);
  }

  std::vector<Hit> run() {
    surfaces();
    if (has(wanted_, Kind::Point)) points();
    if (has(wanted_, Kind::Curve) || has(wanted_, Kind::Edge)) curves();
    if (has(wanted_, Kind::Plane)) planes();
    std::stable_sort(found_.begin(), found_.end(), [](const Ranked& a, const Ranked& b) {
      return a.rank != b.rank ? a.rank < b.rank : a.order < b.order;
    });
    std::vector<Hit> out;
    for (auto& r : found_)
      if (std::none_of(out.begin(), out.end(), [&](const Hit& h) { return same(h, r.hit); })) out.push_back(r.hit);
    return out;
  }

private:
  struct Ranked {
    int rank;
    double order;
    Hit hit;
  };

  void add(int rank, double order, Hit h) { found_.push_back({rank, order, std::move(h)}); }

  void surfaces() {
    for (const DrawnBody& b : d_.bodies)
      for (const MeshPtr& f : b.faces) {
        const double w = hitMesh(*f, origin_, direction_);
        if (w < 0) continue;
        const Vec3 at = origin_ + w * direction_;
        front_ = std::min(front_, c_.toScreen(at).z());
        const Kind kind = b.solid ? Kind::Solid : Kind::Skin;
        if (has(wanted_, Kind::Face)) {
          Hit h = hitOf(Kind::Face, b.step, b.partName(f->face), b.label + ", face", at, w);
          h.near.middle = at;
          add(4, w, h);
        }
        if (has(wanted_, kind)) add(5, w, hitOf(kind, b.step, b.partName(""), b.label, at, w));
      }
  }

  /// Behind a face by more than a little?
  bool covered(const Vec3& at) const {
    const Vec3 nearer = at - direction_ * (6 * c_.pixelSize(at));
    return c_.toScreen(nearer).z() > front_;
  }

  void offerPoint(const Vec3& at, const std::string& step, const std::string& part, const std::string& label,
                  int rank) {
    const Vec3 s = c_.toScreen(at);
    const double dist = (s.head<2>() - q_).norm();
    if (dist > kPointReach) return;
    Hit h = hitOf(Kind::Point, step, part, label, at, s.z());
    h.near.middle = at;
    add(covered(at) ? 6 : rank, dist, h);
  }

  void points() {
    for (const DrawnPoint& p : d_.points) offerPoint(p.at, p.step, p.part, p.label, 0);
    for (const DrawnCurve& c : d_.curves) {
      const auto offer = [&](const auto& points) {
        for (const auto& [name, at] : points)
          offerPoint(at, c.step, c.output.empty() ? name : c.output + "/" + name, c.label + ", " + name, 1);
      };
      offer(c.marks);
      if (!has(wanted_, Kind::Curve)) offer(c.given); // many lie along it
    }
    for (const DrawnBody& b : d_.bodies)
      for (const auto& [name, at] : b.vertices) offerPoint(at, b.step, b.partName(name), b.label + ", vertex", 1);
    if (has(wanted_, Kind::Point)) offerPoint(Vec3::Zero(), "world", "origin", "origin", 2);
  }

  void curves() {
    if (has(wanted_, Kind::Curve))
      for (const DrawnCurve& c : d_.curves)
        if (const Near n = nearestOnPolyline(c.points, c_, q_); n.pixels < kCurveReach)
          add(covered(n.at) ? 7 : 3, n.pixels, hitOf(Kind::Curve, c.step, c.part, c.label, n.at, n.depth));
    if (!has(wanted_, Kind::Edge)) return;
    for (const DrawnBody& b : d_.bodies)
      for (const DrawnEdge& e : *b.edges) {
        if (e.seam || e.points.size() < 2) continue;
        const Near n = nearestOnPolyline(e.points, c_, q_);
        if (n.pixels > kCurveReach) continue;
        Hit h = hitOf(Kind::Edge, b.step, b.partName(e.name), b.label + ", edge", n.at, n.depth);
        const size_t m = e.points.size() / 2;
        h.near.middle = e.points[m];
        h.near.direction = (e.points[std::min(m + 1, e.points.size() - 1)] - e.points[m - 1]).normalized();
        // Curves win over edges that lie on them.
        add(covered(n.at) ? 7 : 3, n.pixels + 2, h);
      }
  }

  void planes() {
    for (const DrawnPlane& p : d_.planes) {
      const double along = direction_.dot(p.frame.normal());
      if (std::abs(along) < 1e-6) continue;
      const double w = (p.frame.origin - origin_).dot(p.frame.normal()) / along;
      const Vec3 at = origin_ + w * direction_, local = p.frame.local(at);
      const Vec2 on = local.head<2>();
      if (w > 0 && (on.array() > p.low.array()).all() && (on.array() < p.high.array()).all())
        add(p.step == "world" ? 9 : 8, w, hitOf(Kind::Plane, p.step, p.part, p.label, at, w));
    }
  }

  const Scene& d_;
  const Camera& c_;
  Vec2 q_;
  Kind wanted_;
  Vec3 origin_, direction_;
  double front_ = 1e300;
  std::vector<Ranked> found_;
};

} // namespace

Vec3 Camera::toScreen(const Vec3& p) const {
  const Eigen::Vector4d q = worldToClip * p.homogeneous();
  const Vec3 n = q.head<3>() / (q.w() != 0 ? q.w() : 1e-12);
  return {(n.x() + 1) / 2 * width, (1 - n.y()) / 2 * height, n.z()};
}

std::pair<Vec3, Vec3> Camera::ray(double x, double y) const {
  const Eigen::Matrix4d back = worldToClip.inverse();
  const double nx = 2 * x / width - 1, ny = 1 - 2 * y / height;
  const Vec3 a = (back * Eigen::Vector4d(nx, ny, -1, 1)).hnormalized(),
             b = (back * Eigen::Vector4d(nx, ny, 1, 1)).hnormalized();
  return {a, (b - a).normalized()};
}

double Camera::pixelSize(const Vec3& p) const {
  const Vec3 right = direction.cross(up).normalized();
  const double px = (toScreen(p + right) - toScreen(p)).head<2>().norm();
  return px > 0 ? 1.0 / px : 1.0;
}

std::vector<Hit> pickAt(const Scene& d, const Camera& camera, double x, double y, Kind wanted) {
  return Picker(d, camera, x, y, wanted).run();
}

} // namespace lumsk::scene
