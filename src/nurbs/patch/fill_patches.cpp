#include "nurbs/patch/fill_patches.h"

#include "nurbs/core/knots.h"
#include "nurbs/fit/spaces.h"

#include <algorithm>

namespace lumsk::nurbs {

namespace {

constexpr int kDegree = 5, kFirstSpans = 3, kMostSpans = 28;
constexpr int kLooks = 3;            ///< a span, where the patches are held against the fill
constexpr double kPart = 0.25, kTurnPart = 0.5; ///< of the tolerances of position and angle, which patches may be off the fill
constexpr double kBendPart = 0.005;             ///< of its curvatures
constexpr int kFewestCorners = 3;
constexpr double kRealCornerDeg = 25;  ///< the ring turns inwards by more where a patch may have its corner
constexpr double kInner = 0.5;         ///< of the way from the middle to the ring: the patches inside others
constexpr size_t kMostBreaks = 16;
constexpr int kBendLooks = 720;
constexpr double kJump = 0.3;            ///< of the largest curvature: it changes by more from look to look where it jumps
constexpr double kLeastJump = 3;         ///< by the ring's length
constexpr double kNothing = 1e-12;      ///< of the ring's length
constexpr double kLeastArea = 1e-3;    ///< of a patch's mean Jacobian: less counts as folded

/// A patch in the fill's domain by its sides: at v = 0, v = 1 along u; at u = 0, u = 1 along v.
struct Layout {
  using Line = std::function<Vec2(double)>;
  Line first, last, left, right;
  Vec2 at(double u, double v) const {
    return (1 - v) * first(u) + v * last(u) + (1 - u) * left(v) + u * right(v) - (1 - u) * (1 - v) * first(0) - u * (1 - v) * first(1) - (1 - u) * v * last(0) -
           u * v * last(1);
  }
};
Layout::Line straight(const Vec2& from, const Vec2& to) {
  return [=](double t) { return Vec2(from + t * (to - from)); };
}

class Patching {
public:
  Patching(const FillResult& fill, const std::vector<FillEdge>& ring, const Context& cx) : fill_(fill), ring_(ring), cx_(cx) {
    for (const FillEdge& e : ring) {
      lengths_.emplace_back(e.path);
      starts_.push_back(totalMm_);
      totalMm_ += lengths_.back().total();
    }
  }

  Expected<FillPatches> run() {
    findCorners();
    FillPatches out;
    for (int spans = kFirstSpans;; spans = more(spans)) {
      out = FillPatches();
      offRingMm_ = 0;
      layOut(spans);
      for (const Layout& l : layouts_) LUMSK_CHECK(checkLayout(l));
      bool close = offRingMm_ <= kPart * cx_.tolerances.point.mm;
      for (const Layout& l : layouts_) {
        if (cx_.stopped()) return fail(cancelled());
        out.patches.push_back(patch(l, spans));
        close = isClose(l, spans, out) && close;
      }
      if (close || more(spans) > kMostSpans) return out;
    }
  }

private:
  static int more(int spans) { return spans + std::max(1, spans / 3); }
  static Vec3 tangent(const Path& p, bool end) {
    CurveDerivatives d;
    p.derivatives(end ? std::nextafter(p.last(), 0.0) : 0.0, 1, d);
    return d[1].normalized();
  }

  /// Corners of the ring, by length along it, and whether all are such that patches can have theirs there.
  void findCorners() {
    real_ = true;
    for (size_t k = 0; k < ring_.size(); ++k) {
      const size_t before = (k + ring_.size() - 1) % ring_.size();
      const Vec3 in = tangent(ring_[before].path, true), out = tangent(ring_[k].path, false);
      const double turn = degFromRad(angleBetweenRad(in, out));
      if (turn <= cx_.tolerances.corner.deg) continue;
      const Vec3 at = ring_[k].path.start();
      const bool inwards = (out - in).dot(fill_.middle - at) > 0;
      real_ = real_ && inwards && turn > kRealCornerDeg;
      corners_.push_back(starts_[k]);
    }
    findBends();
    real_ = real_ && int(corners_.size()) >= kFewestCorners && bends_.empty();
    breaks_ = corners_;
    if (corners_.size() + bends_.size() <= kMostBreaks) breaks_.insert(breaks_.end(), bends_.begin(), bends_.end());
    std::sort(breaks_.begin(), breaks_.end());
  }

  /// Of the ring's curvature: how it bends at a length along it, 1/mm.
  Vec3 bendAt(double along) const {
    const auto [k, own] = edgeAt(along);
    CurveDerivatives d;
    ring_[k].path.derivatives(lengths_[k].parameterAt(own), 2, d);
    const double w = d[1].squaredNorm();
    return w > 0 ? Vec3((d[2] - d[2].dot(d[1]) / w * d[1]) / w) : Vec3::Zero();
  }
  /// Places where the curvature jumps, or as good as that.
  void findBends() {
    const double step = totalMm_ / kBendLooks;
    std::vector<Vec3> bend;
    double most = 0;
    for (int i = 0; i < kBendLooks; ++i) bend.push_back(bendAt((i + 0.5) * step)), most = std::max(most, bend.back().norm());
    const auto change = [&](int i) { return (bend[size_t((i + kBendLooks) % kBendLooks)] - bend[size_t((i + kBendLooks - 1) % kBendLooks)]).norm(); }; // before look i
    for (int i = 0; i < kBendLooks; ++i) {
      if (change(i) < std::max(kJump * most, kLeastJump / totalMm_) || change(i) < change(i - 1) || change(i) <= change(i + 1)) continue;
      double from = (i - 0.5) * step, to = (i + 0.5) * step;
      for (int it = 0; it < 12; ++it) {
        const double middle = 0.5 * (from + to);
        ((bendAt(from) - bendAt(middle)).norm() > (bendAt(middle) - bendAt(to)).norm() ? to : from) = middle;
      }
      double at = std::fmod(0.5 * (from + to) + totalMm_, totalMm_);
      const bool corner = std::any_of(corners_.begin(), corners_.end(), [&](double c) { return std::min(std::abs(c - at), totalMm_ - std::abs(c - at)) < 2 * step; });
      if (!corner) bends_.push_back(at);
    }
  }

  void layOut(int spans) {
    layouts_.clear();
    if (real_) return star(spans);
    // Four, or any even number more: one patch inside with four sides, or one at each second of them.
    std::vector<double> breaks = breaks_;
    if (breaks.empty()) breaks = {0.0};
    if (breaks.size() == 1) breaks.push_back(breaks[0] + 0.5 * totalMm_);
    if (breaks.size() % 2 == 1 || breaks.size() == 2) {
      std::vector<double> all;
      for (size_t k = 0; k < breaks.size(); ++k) all.push_back(breaks[k]), all.push_back(halfway(breaks, k));
      breaks = all;
    }
    const bool four = breaks.size() == 4;
    const Vec2 centre = fill_.centre;
    const auto inner = [this, centre](double s) { return Vec2(centre + kInner * (onRing(s) - centre)); };
    for (size_t k = 0; k < breaks.size(); ++k) {
      const double from = breaks[k], to = k + 1 < breaks.size() ? breaks[k + 1] : breaks[0] + totalMm_;
      layouts_.push_back({along(from, to, spans), straight(inner(from), inner(to)), straight(onRing(from), inner(from)),
                          straight(onRing(to), inner(to))});
    }
    if (four) {
      const Vec2 a = inner(breaks[0]), b = inner(breaks[1]), c = inner(breaks[2]), d = inner(breaks[3]);
      layouts_.push_back({straight(a, b), straight(d, c), straight(a, d), straight(b, c)});
      return;
    }
    for (size_t k = 0; k < breaks.size(); k += 2) {
      const Vec2 corner = inner(breaks[k]), after = inner(breaks[k + 1]), before = inner(breaks[(k + breaks.size() - 1) % breaks.size()]);
      layouts_.push_back({straight(corner, after), straight(before, centre), straight(corner, before), straight(after, centre)});
    }
  }
  double halfway(const std::vector<double>& places, size_t k) const {
    return 0.5 * (places[k] + (k + 1 < places.size() ? places[k + 1] : places[0] + totalMm_));
  }
  /// One patch at each corner, from the middle of the side before it to that of the one after.
  void star(int spans) {
    const Vec2 centre = fill_.centre;
    for (size_t k = 0; k < corners_.size(); ++k) {
      const double at = corners_[k], after = halfway(corners_, k);
      double before = halfway(corners_, (k + corners_.size() - 1) % corners_.size());
      if (before > at) before -= totalMm_;
      layouts_.push_back({along(at, after, spans), straight(onRing(before), centre), along(at, before, spans), straight(onRing(after), centre)});
    }
  }

  /// A stretch of the ring as one smooth line of the domain, which a patch with as many spans can take over: where the ring
  /// changes how it bends it is left by next to nothing.
  Layout::Line along(double from, double to, int spans) {
    const Knots knots = uniformKnots(kDegree, spans);
    const auto at = greville(knots, kDegree);
    Rows places = Rows::Zero(Eigen::Index(at.size()), 3);
    for (size_t i = 0; i < at.size(); ++i) places.row(Eigen::Index(i)).head<2>() = onRing(from + at[i] * (to - from)).transpose();
    const Spline line = Spline::trusted(kDegree, knots, rowsThrough(kDegree, knots, std::move(places)));
    for (int i = 0; i < kLooks * spans; ++i) {
      const double t = (i + 0.37) / (kLooks * spans);
      const Vec2 uv = line.at(t).head<2>(), exact = onRing(from + t * (to - from));
      SurfaceDerivatives d;
      fill_.surface.derivatives(exact.x(), exact.y(), 1, d);
      const Vec2 off = uv - exact;
      offRingMm_ = std::max(offRingMm_, (off.x() * d(1, 0) + off.y() * d(0, 1)).norm());
    }
    return [line](double t) { return Vec2(line.at(t).head<2>()); };
  }

  /// The edge at a length along the ring, and the length along that.
  std::pair<size_t, double> edgeAt(double along) const {
    double at = std::fmod(along, totalMm_);
    if (at < 0) at += totalMm_;
    const size_t k = size_t(std::upper_bound(starts_.begin(), starts_.end(), at + kNothing * totalMm_) - starts_.begin()) - 1;
    return {k, std::clamp(at - starts_[k], 0.0, lengths_[k].total())};
  }

  /// The fill's place of one on the ring, by length along it; it goes on all round.
  Vec2 onRing(double along) const {
    const auto [k, own] = edgeAt(along);
    const ArcLength& length = lengths_[k];
    const Vec3 p = ring_[k].path.at(length.parameterAt(own));
    return fill_.footOf(p, int(k), own / length.total());
  }

  Expected<void> checkLayout(const Layout& l) const {
    constexpr int n = 24;
    Eigen::Matrix<double, n, n> area;
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const double u = double(i) / n, v = double(j) / n, h = 1.0 / n;
        const Vec2 at = l.at(u, v), onU = l.at(u + h, v) - at, onV = l.at(u, v + h) - at;
        area(i, j) = onU.x() * onV.y() - onU.y() * onV.x();
      }
    const double mean = area.mean();
    if (mean != 0 && (area / mean).minCoeff() > kLeastArea) return {};
    const Vec2 corner = l.at(0, 0);
    return fail(problem("LM-V016", "a four-sided patch would fold here: its side of the ring does not see the middle")
                    .at(fill_.surface.at(corner.x(), corner.y()))
                    .tryThis("leave it one skin, or fill the ring in parts"));
  }

  Surface patch(const Layout& l, int spans) const {
    const Knots knots = uniformKnots(kDegree, spans);
    const auto at = greville(knots, kDegree);
    const int n = spans + kDegree;
    Rows values(n, 3 * n); // along u
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const Vec2 uv = l.at(at[size_t(i)], at[size_t(j)]);
        values.block<1, 3>(i, 3 * j) = fill_.surface.at(uv.x(), uv.y()).transpose();
      }
    const Rows byU = rowsThrough(kDegree, knots, std::move(values));
    Rows across(n, 3 * n);
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) across.block<1, 3>(j, 3 * i) = byU.block<1, 3>(i, 3 * j);
    const Rows both = rowsThrough(kDegree, knots, std::move(across));
    Points grid(n * n, 3);
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) grid.row(i * n + j) = both.block<1, 3>(j, 3 * i);
    return Surface::trusted(kDegree, kDegree, knots, knots, std::move(grid), false);
  }

  /// Holds the last patch against the fill between its samples.
  bool isClose(const Layout& l, int spans, FillPatches& out) const {
    const int n = kLooks * spans;
    const Surface& made = out.patches.back();
    double bent = 0;
    for (int i = 0; i <= n; ++i)
      for (int j = 0; j <= n; ++j) {
        const double u = double(i) / n, v = double(j) / n;
        const Vec2 uv = l.at(u, v);
        const PointAndNormal there = fill_.surface.pointAndNormal(uv.x(), uv.y()), here = made.pointAndNormal(u, v);
        out.offMm = std::max(out.offMm, (there.point - here.point).norm());
        const double turn = degFromRad(angleBetweenRad(there.normal, here.normal));
        out.offDeg = std::max(out.offDeg, std::min(turn, 180 - turn));
        const PrincipalCurvatures c = fill_.surface.curvatures(uv.x(), uv.y()), own = made.curvatures(u, v);
        const double size = std::max({std::abs(c.k1), std::abs(c.k2), 1 / totalMm_});
        bent = std::max(bent, std::abs(std::abs(own.k1 + own.k2) - std::abs(c.k1 + c.k2)) / size);
      }
    return bent <= kBendPart && out.offMm <= kPart * cx_.tolerances.fit.mm && out.offDeg <= kTurnPart * cx_.tolerances.angle.deg;
  }

  const FillResult& fill_;
  const std::vector<FillEdge>& ring_;
  const Context& cx_;
  std::vector<ArcLength> lengths_;
  std::vector<double> starts_;                   ///< of edges: lengths along the ring
  std::vector<double> corners_, bends_, breaks_; ///< likewise; where its direction and its curvature jump, and all of these
  double totalMm_ = 0.0, offRingMm_ = 0.0;
  bool real_ = false;
  std::vector<Layout> layouts_;
};

} // namespace

Expected<FillPatches> patchesOf(const FillResult& fill, const std::vector<FillEdge>& ring, const Context& cx) { return Patching(fill, ring, cx).run(); }

} // namespace lumsk::nurbs
