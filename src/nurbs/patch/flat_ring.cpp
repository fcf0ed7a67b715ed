#include "nurbs/patch/flat_ring.h"

#include "nurbs/measure/closest.h"

#include "nurbs/fit/interpolate.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kMostLeanDeg = 50;  ///< of neighbours from the plane that a ring is seen along
constexpr double kLeastSeen = 0.45;  ///< of a ring's length, anywhere, when it is seen so
constexpr int kSteps = 96;           ///< of an edge, walked
constexpr int kOutline = 32;         ///< places of an edge
constexpr double kNudge = 1e-5;      ///< of an edge, for directions
constexpr int kDeepGrid = 40;

struct Walked {
  Vec3 at, along; ///< the latter unit
};
Walked walkedTo(const RingEdge& e, double share) {
  CurveDerivatives d;
  const double t = e.length->parameterAtFraction(share >= 1 ? 1.0 - 1e-15 : share);
  e.path->derivatives(std::min(t, std::nextafter(e.path->last(), 0.0)), 1, d);
  return {share >= 1 ? e.path->end() : d[0], d[1].normalized()};
}

double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }

bool crosses(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
  const auto side = [](const Vec2& p, const Vec2& q, const Vec2& r) { return cross(q - p, r - p); };
  return side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0;
}

} // namespace

Expected<FlatRing> FlatRing::of(const std::vector<RingEdge>& edges, const Context& cx) {
  FlatRing out;
  out.edges_ = edges;
  Points pts(Eigen::Index(edges.size()) * kOutline, 3);
  for (size_t k = 0; k < edges.size(); ++k) {
    out.lengthMm_ += edges[k].length->total();
    for (int i = 0; i < kOutline; ++i)
      pts.row(Eigen::Index(k) * kOutline + i) = walkedTo(edges[k], double(i) / kOutline).at.transpose();
  }
  const PlaneOfPoints plane = fitPlane(pts);
  Vec3 area = Vec3::Zero();
  for (Eigen::Index i = 0; i < pts.rows(); ++i) {
    const Vec3 a = pts.row(i).transpose(), b = pts.row((i + 1) % pts.rows()).transpose();
    area += 0.5 * (a - pts.row(0).transpose()).cross(b - pts.row(0).transpose());
  }
  if (!plane.unique || area.norm() < 1e-6 * out.lengthMm_ * out.lengthMm_)
    return fail(problem("LM-V002", "the ring has no area").at(pts.row(0).transpose()).tryThis("pick another ring"));
  const Vec3 normal = area.normalized();
  out.frame_.origin = pts.colwise().mean().transpose();
  out.frame_.x = (plane.frame.x - plane.frame.x.dot(normal) * normal).normalized();
  out.frame_.y = normal.cross(out.frame_.x);
  for (const RingEdge& e : edges)
    for (int i = 0; i <= 8 && !out.developed_; ++i) {
      const Walked w = walkedTo(e, i / 8.0);
      out.developed_ = std::hypot(w.along.dot(out.frame_.x), w.along.dot(out.frame_.y)) < kLeastSeen;
      if (!e.neighbour || out.developed_) continue;
      const auto beside = e.neighbour(w.at);
      out.developed_ = beside && std::abs(beside->normal.dot(normal)) < std::cos(radFromDeg(kMostLeanDeg));
    }
  if (out.developed_) out.develop(edges, cx.tolerances);
  if (out.developed_ && out.leadsBack()) { // along a rim that hardly turns within its skin, as a drum's, either side may be in front
    out.images_.clear(), out.fronts_.clear();
    out.frame_.y = -out.frame_.y;
    out.develop(edges, cx.tolerances);
  }
  out.low_ = Vec2::Constant(1e300), out.high_ = -out.low_;
  for (int k = 0; k < int(edges.size()); ++k)
    for (int i = 0; i < kOutline; ++i) {
      out.outline_.push_back(out.at(k, double(i) / kOutline));
      out.low_ = out.low_.cwiseMin(out.outline_.back()), out.high_ = out.high_.cwiseMax(out.outline_.back());
    }
  const size_t n = out.outline_.size();
  for (size_t i = 0; i < n; ++i)
    for (size_t j = i + 2; j < n - (i == 0 ? 1 : 0); ++j)
      if (crosses(out.outline_[i], out.outline_[i + 1], out.outline_[j], out.outline_[(j + 1) % n]))
        return fail(problem("LM-V002", out.developed_ ? "the ring crosses itself when it is laid out flat"
                                                      : "the ring crosses itself, seen square to its plane")
                        .at(pts.row(Eigen::Index(i)).transpose())
                        .at(pts.row(Eigen::Index(j)).transpose())
                        .tryThis("fill it in two parts, with an edge between them"));
  return out;
}

void FlatRing::develop(const std::vector<RingEdge>& edges, const Tolerances& tol) {
  const Vec3 normal = frame_.normal();
  // Directions of the walk, turned as the ring turns within the skins beside it.
  std::vector<std::array<double, kSteps + 1>> turned(edges.size());
  double heading = 0;
  Vec3 before = normal;
  std::vector<double> corner(edges.size(), 0.0); // before each edge
  Walked last = walkedTo(edges.back(), 1 - kNudge);
  for (size_t k = 0; k < edges.size(); ++k) {
    const RingEdge& e = edges[k];
    const auto normalAt = [&](const Walked& w) {
      std::optional<NeighbourPlace> beside = e.neighbour ? e.neighbour(w.at) : std::nullopt;
      Vec3 n = beside ? beside->normal : Vec3(normal - normal.dot(w.along) * w.along);
      if (n.norm() < 1e-9) n = before;
      n.normalize();
      return n.dot(before) < 0 ? Vec3(-n) : n;
    };
    const Walked first = walkedTo(e, kNudge);
    const Vec3 n = normalAt(first);
    corner[k] = std::atan2(last.along.cross(first.along).dot(n), last.along.dot(first.along));
    if (std::abs(corner[k]) < radFromDeg(tol.corner.deg) * 0.1) corner[k] = 0;
    heading += corner[k];
    Walked was = first;
    before = n;
    turned[k][0] = heading;
    fronts_.push_back({n});
    for (int i = 1; i <= kSteps; ++i) {
      const Walked now = walkedTo(e, i == kSteps ? 1 - kNudge : double(i) / kSteps);
      const Vec3 here = normalAt(now), mean = (before + here).normalized();
      heading += std::atan2(was.along.cross(now.along).dot(mean), was.along.dot(now.along));
      turned[k][size_t(i)] = heading;
      was = now, before = here;
      fronts_.back().push_back(here);
    }
    last = was;
  }
  const double missing = 2 * kPi - heading;
  // Walked, then what its end misses of its start is spread.
  std::vector<std::vector<Vec2>> places(edges.size());
  Vec2 p = Vec2::Zero();
  double passed = 0;
  for (size_t k = 0; k < edges.size(); ++k) {
    const double h = edges[k].length->total() / kSteps;
    places[k].push_back(p);
    for (int i = 0; i < kSteps; ++i) {
      const double a = turned[k][size_t(i)] + missing * (passed + i * h) / lengthMm_;
      const double b = turned[k][size_t(i) + 1] + missing * (passed + (i + 1) * h) / lengthMm_;
      const double m = 0.5 * (a + b); // Simpson's rule along an arc
      p += h / 6 * (Vec2(std::cos(a), std::sin(a)) + 4 * Vec2(std::cos(m), std::sin(m)) + Vec2(std::cos(b), std::sin(b)));
      places[k].push_back(p);
    }
    passed += edges[k].length->total();
  }
  const Vec2 error = p;
  passed = 0;
  std::vector<double> shares;
  for (int i = 0; i <= kSteps; ++i) shares.push_back(double(i) / kSteps);
  for (size_t k = 0; k < edges.size(); ++k) {
    Rows values(kSteps + 1, 2);
    for (int i = 0; i <= kSteps; ++i)
      values.row(i) = (places[k][size_t(i)] - error * (passed + edges[k].length->total() * i / kSteps) / lengthMm_).transpose();
    passed += edges[k].length->total();
    const auto made = interpolateRows(shares, values, 5, Rows(0, 2), Rows(0, 2));
    Points controls = Points::Zero(made->controls.rows(), 3);
    controls.leftCols<2>() = made->controls;
    images_.push_back(Spline::trusted(5, made->knots, std::move(controls)));
  }
}

Vec2 FlatRing::at(int edge, double share) const {
  if (developed_) return images_[size_t(edge)].at(std::clamp(share, 0.0, 1.0)).head<2>();
  return frame_.local(walkedTo(edges_[size_t(edge)], share).at).head<2>();
}

Vec2 FlatRing::inward(int edge, double share) const {
  Vec2 along;
  if (developed_) {
    CurveDerivatives d;
    images_[size_t(edge)].derivatives(std::clamp(share, 0.0, 1.0), 1, d);
    along = d[1].head<2>();
  } else {
    const Vec3 t = walkedTo(edges_[size_t(edge)], std::min(share, 1 - kNudge)).along;
    along = {t.dot(frame_.x), t.dot(frame_.y)};
  }
  along.normalize();
  return {-along.y(), along.x()};
}

double RingEdge::shareOut() const { return length->lengthAt(closestPoint(*path, out->at).t) / length->total(); }

bool FlatRing::leadsBack() const {
  double ahead = 0;
  for (size_t k = 0; k < edges_.size(); ++k) {
    if (!edges_[k].out) continue;
    const double share = edges_[k].shareOut();
    ahead += front(int(k), share).cross(walkedTo(edges_[k], share).along).dot(edges_[k].out->away) * edges_[k].length->total();
  }
  return ahead < 0;
}

Vec3 FlatRing::front(int edge, double share) const {
  return fronts_[size_t(edge)][size_t(std::clamp(std::lround(share * kSteps), 0l, long(kSteps)))];
}

bool FlatRing::contains(const Vec2& p) const {
  bool in = false;
  for (size_t i = 0, j = outline_.size() - 1; i < outline_.size(); j = i++) {
    const Vec2 &a = outline_[i], &b = outline_[j];
    if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x()) in = !in;
  }
  return in;
}

Vec2 FlatRing::deepest() const {
  const auto off = [&](const Vec2& p) {
    double least = 1e300;
    for (size_t i = 0; i < outline_.size(); ++i) {
      const Vec2 a = outline_[i], b = outline_[(i + 1) % outline_.size()], ab = b - a;
      const double t = ab.squaredNorm() > 0 ? std::clamp((p - a).dot(ab) / ab.squaredNorm(), 0.0, 1.0) : 0.0;
      least = std::min(least, (p - a - t * ab).norm());
    }
    return contains(p) ? least : -least;
  };
  Vec2 best = 0.5 * (low_ + high_);
  double most = off(best);
  for (int i = 1; i < kDeepGrid; ++i)
    for (int j = 1; j < kDeepGrid; ++j) {
      const Vec2 p = low_ + (high_ - low_).cwiseProduct(Vec2(double(i) / kDeepGrid, double(j) / kDeepGrid));
      if (const double d = off(p); d > most * 1.02 + 1e-9) most = d, best = p;
    }
  return best;
}

} // namespace lumsk::nurbs
