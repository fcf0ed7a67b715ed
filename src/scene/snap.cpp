#include "scene/snap.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/meet.h"

#include <algorithm>

namespace lumsk::scene {

namespace {

constexpr double kSnapReach = 10, kLineReach = 7, kPlaneReach = 7; ///< pixels
constexpr double kCrossingMm = 0.05; ///< curves that pass one another this near count as crossing

class Snapper {
public:
  Snapper(const Scene& d, const Camera& c, const SnapRequest& r) : d_(d), c_(c), r_(r), q_(r.x, r.y) {}

  std::optional<Snap> run() {
    points();
    curvePoints();
    if (best_) return best_;
    lines();
    if (best_) return best_;
    ghostFaces();
    if (best_) return best_;
    return r_.planes ? planes() : std::nullopt;
  }

private:
  Vec3 placed(const Vec3& p) const {
    if (!r_.plane) return p;
    const Vec3 l = r_.plane->local(p);
    return r_.plane->at(l.x(), l.y());
  }

  void offer(const Vec3& p, double reach, const std::string& what) {
    const Vec3 at = placed(p);
    const double dist = (c_.toScreen(at).head<2>() - q_).norm();
    if (dist >= std::min(reach, pixels_)) return;
    pixels_ = dist;
    best_ = Snap{at, what};
  }

  void points() {
    for (const DrawnPoint& p : d_.points)
      if (p.step != r_.step) offer(p.at, kSnapReach, p.label);
    for (const DrawnCurve& c : d_.curves)
      if (c.step != r_.step)
        for (const auto& [name, at] : c.marks)
          offer(at, kSnapReach, (name[0] == 't' ? std::string("joint") : name) + " of " + c.label);
    for (const DrawnBody& b : d_.bodies)
      if (b.step != r_.step)
        for (const auto& [name, at] : b.vertices) offer(at, kSnapReach, "vertex of " + b.label);
    for (const DrawnGhost& g : d_.ghosts)
      for (const Vec3& at : g.ghost->corners) offer(at, kSnapReach, "corner of " + g.label);
    offer(Vec3::Zero(), kSnapReach, "origin");
  }

  /// Curves that pass near the pointer.
  std::vector<const DrawnCurve*> near(double reach) const {
    std::vector<const DrawnCurve*> out;
    for (const DrawnCurve& c : d_.curves)
      if (c.step != r_.step && nearestOnLine(c.points).first < reach) out.push_back(&c);
    return out;
  }

  /// Pixels from a line as it is placed, and the place on it.
  std::pair<double, Vec3> nearestOnLine(const std::vector<Vec3>& line) const {
    std::pair<double, Vec3> best{1e300, Vec3::Zero()};
    for (size_t i = 0; i + 1 < line.size(); ++i) {
      const Vec3 p = placed(line[i]), q = placed(line[i + 1]);
      const Vec2 a = c_.toScreen(p).head<2>(), d = c_.toScreen(q).head<2>() - a;
      const double l = d.squaredNorm(), t = l > 0 ? std::clamp((q_ - a).dot(d) / l, 0.0, 1.0) : 0.0;
      const double dist = (a + t * d - q_).norm();
      if (dist < best.first) best = {dist, line[i] + t * (line[i + 1] - line[i])};
    }
    return best;
  }

  void curvePoints() {
    const auto curves = near(2 * kSnapReach);
    for (size_t i = 0; i < curves.size(); ++i)
      for (size_t j = i + 1; j < curves.size(); ++j)
        for (const auto& m : nurbs::meetings(*curves[i]->path, *curves[j]->path, kCrossingMm).list)
          offer(m.middle(), kSnapReach, "crossing of " + curves[i]->label + " and " + curves[j]->label);
    if (best_) return; // where curves cross says more than where they are halved
    for (const DrawnCurve* c : curves)
      offer(c->path->at(nurbs::ArcLength(*c->path).parameterAtFraction(0.5)), kSnapReach, "middle of " + c->label);
  }

  void lines() {
    for (const DrawnCurve* c : near(kLineReach))
      offer(nurbs::closestPoint(*c->path, nearestOnLine(c->points).second).point, kLineReach, c->label);
    const auto line = [&](const std::vector<Vec3>& points, const std::string& what) {
      if (const auto [dist, at] = nearestOnLine(points); dist < kLineReach) offer(at, kLineReach, what);
    };
    for (const DrawnBody& b : d_.bodies)
      if (b.step != r_.step)
        for (const DrawnEdge& e : *b.edges)
          if (!e.seam) line(e.points, "edge of " + b.label);
    for (const DrawnGhost& g : d_.ghosts)
      for (const auto& e : g.ghost->edges) line(e, "edge of " + g.label);
  }

  void ghostFaces() {
    if (r_.plane) return;
    const auto [from, along] = c_.ray(r_.x, r_.y);
    double nearest = 1e300;
    for (const DrawnGhost& g : d_.ghosts)
      if (const double w = hitMesh(*g.ghost->mesh, from, along); w > 0 && w < nearest) {
        nearest = w;
        best_ = Snap{from + w * along, g.label};
      }
  }

  /// One plane after the other, each square to itself, or within the plane that the point must lie in.
  std::optional<Snap> planes() const {
    Snap s{r_.loose, ""};
    std::vector<Frame> on;
    for (const DrawnPlane& p : d_.planes) {
      if (p.step == r_.step) continue;
      Vec3 n = p.frame.normal();
      const double off = (s.at - p.frame.origin).dot(n);
      if (r_.plane) {
        const Vec3 m = r_.plane->normal();
        n -= n.dot(m) * m;
        if (n.norm() < 1e-3) continue; // parallel
        n /= n.squaredNorm();
      }
      const Vec3 at = s.at - off * n;
      const double moved = (c_.toScreen(at) - c_.toScreen(s.at)).head<2>().norm();
      const bool flat = (at - s.at).norm() < kPlaneReach * c_.pixelSize(s.at); // else: seen along the move
      const bool leaves =
          std::any_of(on.begin(), on.end(), [&](const Frame& f) { return std::abs(f.local(at).z()) > 1e-9; });
      if (!flat || moved > kPlaneReach || leaves) continue;
      on.push_back(p.frame);
      s.at = at;
      // A plane that is looked at squarely holds everything drawn: no news.
      if (std::abs(c_.direction.dot(p.frame.normal())) < 0.7) s.what += (s.what.empty() ? "on " : " and ") + p.label;
    }
    if (on.empty()) return {};
    return s;
  }

  const Scene& d_;
  const Camera& c_;
  const SnapRequest& r_;
  Vec2 q_;
  double pixels_ = 1e300;
  std::optional<Snap> best_;
};

} // namespace

std::optional<Snap> snapAt(const Scene& d, const Camera& camera, const SnapRequest& r) {
  return Snapper(d, camera, r).run();
}

} // namespace lumsk::scene
