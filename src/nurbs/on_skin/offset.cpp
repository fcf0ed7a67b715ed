#include "nurbs/on_skin/offset.h"

#include "nurbs/measure/closest.h"
#include "nurbs/measure/surface_measure.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <memory>
#include <unordered_map>

namespace lumsk::nurbs {

namespace {

/// Breakpoints scaled to [0, 1], repeated where the offset, a derivative less smooth than the surface, is rough.
std::vector<double> offsetBreaks(const Knots& U, int p, int fitDegree, bool closed) {
  std::vector<double> out;
  const auto b = breakpoints(U, p);
  for (size_t k = 0; k < b.size(); ++k) {
    const bool seam = k == 0 && closed, inside = seam || (k > 0 && k + 1 < b.size());
    const int smooth = p - (seam ? 1 : multiplicity(U, b[k])) - 1; // of the offset
    const double x = k + 1 == b.size() ? 1.0 : (b[k] - b.front()) / (b.back() - b.front());
    out.insert(out.end(), inside && smooth < 3 ? std::clamp(fitDegree - smooth, 1, fitDegree) : 1, x);
  }
  return out;
}

constexpr int kSidePlaces = 192;
constexpr double kPointedShare = 0.01; ///< of the distance: a radius below it is a point or a crease
constexpr double kFarthest = 0.3; ///< of the domain: surfaces are not extended further, unless they are narrow
constexpr double kReach = 2.5;    ///< narrow ones by so many distances, but at most three times their width
constexpr double kMostWidths = 3.0;

/// How far a surface may be extended in one direction for an offset, as a share of its domain.
double farthest(const Surface& s, bool inU, double distanceMm) {
  const double u = 0.5 * (s.firstU() + s.lastU()), v = 0.5 * (s.firstV() + s.lastV());
  const Spline middle = inU ? s.isoV(v) : s.isoU(u);
  double width = 0;
  Vec3 before = middle.at(middle.first());
  for (int i = 1; i <= 16; ++i) {
    const Vec3 p = middle.at(middle.first() + (middle.last() - middle.first()) * i / 16);
    width += (p - before).norm();
    before = p;
  }
  return width > 0 ? std::clamp(kReach * std::abs(distanceMm) / width, kFarthest, kMostWidths) : kFarthest;
}

/// Signed distance from a surface, extended beyond its borders, near a place that moves little from call to call.
class DistanceFrom {
public:
  DistanceFrom(const Surface& s, double distanceMm)
      : s_(s), near_(std::abs(distanceMm)), farU_(farthest(s, true, distanceMm)),
        farV_(farthest(s, false, distanceMm)) {}

  /// (p - foot) . normal; nothing when there is no foot near.
  std::optional<double> operator()(const Vec3& p) {
    // From the foot before, unless that leads to another one far away.
    if (!started_ || !polish(p) || (p - s_.at(u_, v_)).norm() > 2 * near_) {
      const ClosestOnSurface c = closestPoint(s_, p);
      u_ = c.u, v_ = c.v;
      if (!polish(p)) return {};
      started_ = true;
    }
    return (p - s_.at(u_, v_)).dot(s_.normal(u_, v_));
  }

private:
  bool polish(const Vec3& p) {
    const double wu = s_.lastU() - s_.firstU(), wv = s_.lastV() - s_.firstV();
    double u = u_, v = v_;
    for (int it = 0; it < 30; ++it) {
      SurfaceDerivatives d;
      s_.derivatives(u, v, 2, d);
      const FootSystem at = footSystem(d, p);
      const Vec2 step = at.bend.inverse() * at.gradient;
      if (!step.allFinite()) return false;
      u -= step.x(), v -= step.y();
      const double du = std::max(s_.firstU() - u, u - s_.lastU()), dv = std::max(s_.firstV() - v, v - s_.lastV());
      if ((!s_.closedU() && du > farU_ * wu) || dv > farV_ * wv) return false;
      if (s_.closedU()) u -= wu * std::floor((u - s_.firstU()) / wu);
      if (std::abs(step.x()) < 1e-12 * wu && std::abs(step.y()) < 1e-12 * wv) {
        u_ = u, v_ = v;
        return true;
      }
    }
    return false;
  }

  const Surface& s_;
  double near_, farU_, farV_;
  bool started_ = false;
  double u_ = 0, v_ = 0;
};

/// The true offset over the domain cut or extended to its planes and neighbours.
class Domain {
public:
  Domain(const Surface& s, const OffsetOptions& o)
      : s_(s), o_(o), strip_(s.closedU() || !(bounded(FirstU) || bounded(LastU))) {
    for (int k = 0; k < 4; ++k)
      if (const auto& n = o.meets[size_t(k)]) from_[size_t(k)].emplace(*n->surface, n->distanceMm);
    far_[0] = farthest(s, true, o.distanceMm);
    far_[1] = farthest(s, false, o.distanceMm);
  }

  Vec3 offset(double u, double v) const {
    if (s_.closedU()) {
      const double w = s_.lastU() - s_.firstU();
      u = s_.firstU() + (u - s_.firstU()) - w * std::floor((u - s_.firstU()) / w);
    }
    const PointAndNormal at = strip_ ? line(u).evaluate(v) : s_.pointAndNormal(u, v);
    return at.point + o_.distanceMm * at.normal;
  }

  Expected<void> plan() {
    for (int a = 0; a < 2; ++a)
      for (int b = 0; b < 2; ++b) {
        LUMSK_TRY(c, corner(a, b));
        corner_[a][b] = c;
      }
    if (!strip_) return {};
    // The lines of knots between the sides can stay in place if both sides move little.
    const auto b = breakpoints(s_.knotsV(), s_.degreeV());
    firstInside_ = b.size() > 2 ? b[1] : b.back();
    lastInside_ = b.size() > 2 ? b[b.size() - 2] : b.front();
    double moved = 0;
    for (int i = 0; i <= 32; ++i) {
      const double u = s_.firstU() + (s_.lastU() - s_.firstU()) * i / 32;
      moved = std::max({moved, std::abs(side(FirstV, u) - s_.firstV()) / (firstInside_ - s_.firstV()),
                        std::abs(side(LastV, u) - s_.lastV()) / (s_.lastV() - lastInside_)});
    }
    keepsLines_ = b.size() > 2 && moved < 0.2;
    return {};
  }

  /// True when lines y = const inside are lines v = const: the surface's knots are then the offset's.
  bool keepsLinesV() const { return strip_ && (keepsLines_ || !(bounded(FirstV) || bounded(LastV))); }
  bool keepsLinesU() const { return strip_; }

  /// Domain point for (x, y) in [0, 1]^2 (bilinearly blended Coons map, Coons 1967).
  Vec2 map(double x, double y) {
    if (strip_) {
      const double u = s_.firstU() + x * (s_.lastU() - s_.firstU());
      const double a = side(FirstV, u), b = side(LastV, u);
      if (!keepsLines_) return {u, a + y * (b - a)};
      // Each side's move fades out inside its first span, twice differentiable.
      const double v = s_.firstV() + y * (s_.lastV() - s_.firstV());
      const auto fade = [&](double end, double inside) {
        const double left = (inside - v) / (inside - end);
        return left > 0 ? left * left * left : 0.0;
      };
      return {u, v + (a - s_.firstV()) * fade(s_.firstV(), firstInside_) +
                     (b - s_.lastV()) * fade(s_.lastV(), lastInside_)};
    }
    const auto along = [&](int k, double t) {
      if (k == FirstV || k == LastV) {
        const int b = k == LastV;
        const double u = (1 - t) * corner_[0][b].x() + t * corner_[1][b].x();
        return Vec2(u, side(k, u));
      }
      const int a = k == LastU;
      const double v = (1 - t) * corner_[a][0].y() + t * corner_[a][1].y();
      return Vec2(side(k, v), v);
    };
    const Vec2 bilinear = (1 - x) * (1 - y) * corner_[0][0] + x * (1 - y) * corner_[1][0] +
                          (1 - x) * y * corner_[0][1] + x * y * corner_[1][1];
    return (1 - y) * along(FirstV, x) + y * along(LastV, x) + (1 - x) * along(FirstU, y) + x * along(LastU, y) -
           bilinear;
  }

  /// Where the surface, extended to the plane of a side, bends so much that the offset folds there; the tightest place.
  std::optional<ConcaveRadius> foldBeyond() {
    ConcaveRadius worst;
    for (int k = 0; k < 4; ++k) {
      if (!bounded(k)) continue;
      const bool acrossU = k == FirstU || k == LastU;
      const double from = acrossU ? s_.firstV() : s_.firstU(), to = acrossU ? s_.lastV() : s_.lastU();
      for (int i = 0; i <= kSidePlaces && reached_; ++i) {
        const double t = from + (to - from) * i / kSidePlaces, x = side(k, t);
        const double u = acrossU ? x : t, v = acrossU ? t : x;
        const PrincipalCurvatures c = s_.curvatures(u, v);
        const double bend = o_.distanceMm > 0 ? c.k1 : -c.k2;
        if (bend > 0 && 1 / bend < worst.radiusMm) worst = {1 / bend, s_.at(u, v), u, v};
      }
    }
    if (worst.radiusMm > std::abs(o_.distanceMm) || o_.distanceMm == 0) return {};
    return worst;
  }

  /// A place where opposite sides move past one another: nothing is left of the offset there.
  std::optional<Vec3> vanishes() {
    for (bool acrossU : {true, false}) {
      const int a = acrossU ? FirstU : FirstV, b = acrossU ? LastU : LastV;
      if (!bounded(a) && !bounded(b)) continue;
      const double from = acrossU ? s_.firstV() : s_.firstU(), to = acrossU ? s_.lastV() : s_.lastU();
      const double width = acrossU ? s_.lastU() - s_.firstU() : s_.lastV() - s_.firstV();
      for (int i = 0; i <= 48; ++i) {
        const double t = from + (to - from) * i / 48;
        if (side(b, t) - side(a, t) < 0.01 * width) return acrossU ? s_.at(borderOf(a), t) : s_.at(t, borderOf(a));
      }
    }
    return {};
  }

  bool reached() const { return reached_; }
  const Vec3& missedAt() const { return missed_; }
  bool missedNeighbour() const { return missedNeighbour_; }

private:
  bool bounded(int k) const { return o_.flat[size_t(k)] || o_.meets[size_t(k)]; }
  double borderOf(int k) const {
    return k == FirstU ? s_.firstU() : k == LastU ? s_.lastU() : k == FirstV ? s_.firstV() : s_.lastV();
  }

  /// Kept, since a fit comes back to the same u with many v.
  const SurfaceLine& line(double u) const {
    auto& kept = lines_[u];
    if (!kept) kept = std::make_unique<SurfaceLine>(s_, u);
    return *kept;
  }

  double side(int k, double t) {
    if (!bounded(k)) return borderOf(k);
    const auto known = sides_[k].find(t);
    return known != sides_[k].end() ? known->second : sides_[k][t] = solveSide(k, t);
  }

  /// Parameter across side k where the offset meets the side's plane or neighbour, at parameter t along it.
  double solveSide(int k, double t) {
    const double border = borderOf(k);
    const bool acrossU = k == FirstU || k == LastU;
    const auto& plane = o_.flat[size_t(k)];
    const double width = acrossU ? s_.lastU() - s_.firstU() : s_.lastV() - s_.firstV();
    const auto height = [&](double x) { // not a number where there is no foot on the neighbour
      const Vec3 p = acrossU ? offset(x, t) : offset(t, x);
      if (plane) return (p - plane->origin).dot(plane->normal());
      const auto d = (*from_[size_t(k)])(p);
      return d ? *d - o_.meets[size_t(k)]->distanceMm : std::nan("");
    };
    // Secant steps from the border; the offset is smooth and the start is close.
    double x0 = border, f0 = height(x0), x1 = border + 1e-4 * width * (k % 2 ? -1 : 1), f1 = height(x1);
    for (int it = 0; it < 40 && std::abs(f0) > 1e-11; ++it) {
      if (f1 == f0) break;
      const double reach = far_[!acrossU] * width;
      double x = std::clamp(x0 - f0 * (x1 - x0) / (f1 - f0), border - reach, border + reach), f = height(x);
      for (int half = 0; half < 12 && !std::isfinite(f); ++half) f = height(x = 0.5 * (x0 + x));
      x1 = x0, f1 = f0;
      x0 = x, f0 = f;
    }
    if (!(std::abs(f0) < 1e-7)) {
      if (reached_) missedNeighbour_ = !plane;
      reached_ = false;
      missed_ = acrossU ? s_.at(border, t) : s_.at(t, border);
      return border;
    }
    return x0;
  }

  Expected<Vec2> corner(int a, int b) {
    Vec2 p(a ? s_.lastU() : s_.firstU(), b ? s_.lastV() : s_.firstV());
    if (s_.closedU()) return p;
    // Alternating solves along both sides: each is a contraction, since sides are nearly square to each other.
    for (int it = 0; it < 60; ++it) {
      const Vec2 q(side(a, p.y()), p.y());
      const Vec2 r(q.x(), side(2 + b, q.x()));
      const double moved = (r - p).norm();
      p = r;
      if (moved < 1e-13) break;
    }
    return p;
  }

  const Surface& s_;
  const OffsetOptions& o_;
  bool strip_;              ///< x alone decides u
  bool keepsLines_ = false; ///< and y alone decides v between the outer spans
  double firstInside_ = 0, lastInside_ = 0;
  mutable std::unordered_map<double, std::unique_ptr<SurfaceLine>> lines_;
  std::array<std::unordered_map<double, double>, 4> sides_;
  Vec2 corner_[2][2];
  std::array<std::optional<DistanceFrom>, 4> from_;
  std::array<double, 2> far_{}; ///< in u and v
  bool reached_ = true, missedNeighbour_ = false;
  Vec3 missed_ = Vec3::Zero();
};

} // namespace

ConcaveRadius tightestRadius(const Surface& s, bool alongNormal) {
  const auto bend = [&](double u, double v) {
    const PrincipalCurvatures k = s.curvatures(u, v);
    return alongNormal ? k.k1 : -k.k2;
  };
  const LargestOnSurface worst = largestOn(s, 4, 6, bend);
  if (!(worst.value > 0)) return {};
  return {1.0 / worst.value, s.at(worst.u, worst.v), worst.u, worst.v};
}

namespace {

/// A side that is one point, and there is no tangent plane in it: by how far its offset would open there, mm.
struct PointedSide {
  double opensMm = 0.0;
  Vec3 at = Vec3::Zero();
};
PointedSide mostPointed(const Surface& s, double distanceMm, LengthTolerance point) {
  constexpr int kLooks = 24;
  PointedSide worst;
  for (int side = 0; side < 4; ++side) {
    const bool alongV = side == FirstU || side == LastU;
    const auto place = [&](int i) {
      const double f = double(i) / kLooks, u = s.firstU() + f * (s.lastU() - s.firstU()),
                   v = s.firstV() + f * (s.lastV() - s.firstV());
      return alongV ? Vec2(side == FirstU ? s.firstU() : s.lastU(), v) : Vec2(u, side == FirstV ? s.firstV() : s.lastV());
    };
    const Vec3 at = s.at(place(0).x(), place(0).y()), first = s.normal(place(0).x(), place(0).y());
    bool one = true;
    double apart = 0;
    for (int i = 1; i <= kLooks && one; ++i) {
      const Vec2 uv = place(i);
      one = (s.at(uv.x(), uv.y()) - at).norm() <= point.mm;
      apart = std::max(apart, (s.normal(uv.x(), uv.y()) - first).norm());
    }
    if (one && apart * std::abs(distanceMm) > worst.opensMm) worst = {apart * std::abs(distanceMm), at};
  }
  return worst;
}

} // namespace

namespace {

/// Of several fits the one with fewest points: from the surface's own knots, once each, by its degrees and by five; from none;
/// and from its knots as rough as the offset is there, which counts where it saves a third.
std::optional<SurfaceFit> leanFit(const Surface& s, const std::function<Vec3(double, double)>& f, LengthTolerance fit, const Context& cx) {
  constexpr double kRoughSaves = 1.5;
  std::optional<SurfaceFit> best;
  double least = 1e300;
  const auto attempt = [&](int degreeU, int degreeV, std::vector<double> breaksU, std::vector<double> breaksV, double worth) {
    SurfaceFitOptions o;
    o.degreeU = degreeU, o.degreeV = degreeV;
    o.closedU = s.closedU();
    o.fit = fit;
    o.leaves = true;
    o.firstBreaksU = std::move(breaksU), o.firstBreaksV = std::move(breaksV);
    auto made = fitSurface(f, o, cx);
    if (!made || worth * made->surface.controlPoints() >= least) return;
    least = worth * made->surface.controlPoints();
    best = std::move(*made);
  };
  const auto once = [](const Knots& U, int p) {
    std::vector<double> b = breakpoints(U, p);
    const double first = b.front(), size = b.back() - first;
    for (double& x : b) x = (x - first) / size;
    b.back() = 1;
    return b;
  };
  const int u = std::max(3, s.degreeU()), v = std::max(3, s.degreeV());
  const auto rough = [&](int degreeU, int degreeV) {
    attempt(degreeU, degreeV, offsetBreaks(s.knotsU(), s.degreeU(), degreeU, s.closedU()),
            offsetBreaks(s.knotsV(), s.degreeV(), degreeV, false), kRoughSaves);
  };
  rough(u, v);
  if (u < 5 || v < 5) rough(std::max(5, u), std::max(5, v));
  if (u < 5 && v < 5) attempt(u, v, once(s.knotsU(), s.degreeU()), once(s.knotsV(), s.degreeV()), 1);
  attempt(5, 5, once(s.knotsU(), s.degreeU()), once(s.knotsV(), s.degreeV()), 1);
  if (!best || best->surface.controlPoints() > s.controlPoints()) attempt(5, 5, {}, {}, 1);
  return best;
}

/// The largest angle along the sides between a fitted offset and the surface that it comes of, degrees: what lies
/// beside it there is an offset of its own, and they are to meet as smoothly as their surfaces do.
double turnAtSides(const Surface& made, const std::function<Vec3(double, double)>& normal) {
  constexpr int kLooks = 64;
  double worst = 0;
  for (int side = 0; side < 4; ++side)
    for (int i = 0; i < kLooks; ++i) {
      const double f = (i + 0.5) / kLooks, x = side == FirstU ? 0 : side == LastU ? 1 : f, y = side == FirstV ? 0 : side == LastV ? 1 : f;
      const Vec3 n = normal(x, y), m = made.normal(x, y);
      if (n.squaredNorm() < 0.5 || m.squaredNorm() < 0.5) continue; // poles
      worst = std::max(worst, degFromRad(std::min(angleBetweenRad(n, m), angleBetweenRad(n, Vec3(-m)))));
    }
  return worst;
}

} // namespace

Expected<OffsetResult> offsetSurface(const Surface& s, const OffsetOptions& o, const Context& cx) {
  constexpr double kMostOpening = 5; // point tolerances: what is sewn together again
  if (const PointedSide tip = mostPointed(s, o.distanceMm, cx.tolerances.point);
      tip.opensMm > kMostOpening * cx.tolerances.point.mm)
    return fail(problem("LM-T001", "the skin ends in a point without a tangent plane: no wall goes around it")
                    .at(tip.at)
                    .tryThis("round the point: let the skin leave it squarely, or flat"));
  const ConcaveRadius tight =
      o.distanceMm != 0 && !o.bendChecked ? tightestRadius(s, o.distanceMm > 0) : ConcaveRadius{};
  if (std::abs(o.distanceMm) >= tight.radiusMm * (1 - 1e-6)) {
    Problem folds = problem("LM-T001", "the skin folds over itself at this distance: its concave radius is smaller")
                        .measure(millimetres(tight.radiusMm))
                        .want(millimetres(std::abs(o.distanceMm)))
                        .at(tight.at);
    if (tight.radiusMm < kPointedShare * std::abs(o.distanceMm))
      return fail(std::move(folds.tryThis("round this place: it is too sharp for any wall on this side")));
    return fail(std::move(folds.tryThis("take less than " + formatNumber(tight.radiusMm, 3) +
                                        " mm or round this place more")));
  }
  Domain domain(s, o);
  const auto missed = [&] {
    return domain.missedNeighbour()
               ? problem("LM-T007", "the wall folds at the kink: the offsets of its two sides do not meet there")
                     .at(domain.missedAt())
                     .tryThis("take a smaller thickness, or round this edge")
               : problem("LM-T002", "the rim is too slanted to be cut flat")
                     .at(domain.missedAt())
                     .tryThis("let the skin meet its rim at a steeper angle");
  };
  LUMSK_CHECK(domain.plan());
  if (!domain.reached()) return fail(missed());
  if (const auto at = domain.vanishes())
    return fail(problem("LM-T007", "the wall folds at the kink: nothing is left of a narrow face at this distance")
                    .at(*at)
                    .tryThis("take a smaller thickness, or make this face wider"));
  if (const auto fold = domain.foldBeyond())
    return fail(problem("LM-T006",
                        "the rim folds at this distance: the skin would have to go on beyond its edge to be cut flat")
                    .at(fold->at)
                    .tryThis("take a smaller thickness, or let the skin meet its rim at a steeper angle"));
  SurfaceFitOptions fit;
  fit.closedU = s.closedU();
  fit.fit = cx.tolerances.fit;
  fit.leaves = true;
  if (domain.keepsLinesU()) fit.firstBreaksU = offsetBreaks(s.knotsU(), s.degreeU(), fit.degreeU, s.closedU());
  if (domain.keepsLinesV()) fit.firstBreaksV = offsetBreaks(s.knotsV(), s.degreeV(), fit.degreeV, false);
  const auto f = [&](double x, double y) {
    const Vec2 p = domain.map(x, y);
    return domain.offset(p.x(), p.y());
  };
  const auto normal = [&](double x, double y) {
    const Vec2 p = domain.map(x, y);
    return s.normal(p.x(), p.y());
  };
  // Of what is as small as its places are exact the sides turn too much: it is fitted more closely.
  constexpr int kCloser = 3;
  constexpr double kTurnPart = 0.8, kLeastPart = 0.05;
  std::optional<SurfaceFit> fitted;
  double least = 1e300;
  for (int k = 0; k < kCloser; ++k) {
    auto made = o.lean ? leanFit(s, f, fit.fit, cx) : std::nullopt;
    if (!made) {
      auto plain = fitSurface(f, fit, cx);
      if (!plain && fitted) break;
      if (!plain) return fail(domain.reached() ? plain.error() : missed());
      made = std::move(*plain);
    }
    const double turn = turnAtSides(made->surface, normal), wanted = kTurnPart * cx.tolerances.angle.deg;
    if (!fitted || turn < least) least = turn, fitted = std::move(made);
    if (least <= wanted) break;
    fit.fit.mm = std::max(kLeastPart * cx.tolerances.fit.mm, fit.fit.mm * std::min(0.5, wanted / turn));
  }
  if (!domain.reached()) return fail(missed());
  return OffsetResult{fitted->surface, fitted->deviationMm, tight.radiusMm};
}

namespace {

/// Where a plane cuts all lines of one direction once, kept parts at one end: range of the cuts.
struct CleanCut {
  bool keepsFirst = false;
  double from = 1e300, to = -1e300;
};
std::optional<CleanCut> cleanCut(const Surface& s, bool acrossU, const std::function<double(double, double)>& height) {
  constexpr int kLines = 96, kPlaces = 128;
  const double a = acrossU ? s.firstU() : s.firstV(), b = acrossU ? s.lastU() : s.lastV();
  const double c = acrossU ? s.firstV() : s.firstU(), d = acrossU ? s.lastV() : s.lastU();
  CleanCut out;
  for (int i = 0; i <= kLines; ++i) {
    const double w = c + (d - c) * i / kLines;
    int changes = 0;
    double before = 0;
    for (int j = 0; j <= kPlaces; ++j) {
      const double x = a + (b - a) * j / kPlaces, h = acrossU ? height(x, w) : height(w, x);
      if (j == 0) {
        if (i == 0) out.keepsFirst = h > 0;
        if ((h > 0) != out.keepsFirst) return {};
      } else if ((h > 0) != (before > 0)) {
        ++changes;
        out.from = std::min(out.from, x - (b - a) / kPlaces);
        out.to = std::max(out.to, x);
      }
      before = h;
    }
    if (changes != 1) return {};
  }
  return out;
}

} // namespace

std::optional<OffsetResult> cutAtPlane(const Surface& s, const Frame& plane, bool above, const Context& cx,
                                       Side& cutSide) {
  const auto height = [&](double u, double v) { return plane.local(s.at(u, v)).z() * (above ? 1.0 : -1.0); };
  for (bool acrossU : {false, true}) {
    if (acrossU && s.closedU()) continue;
    const auto cut = cleanCut(s, acrossU, height);
    if (!cut) continue;
    const double a = acrossU ? s.firstU() : s.firstV(), b = acrossU ? s.lastU() : s.lastV();
    // Kept generously: the border is then moved to the plane.
    const double from = cut->keepsFirst ? a : std::max(a, cut->from), to = cut->keepsFirst ? std::min(b, cut->to) : b;
    const Surface part =
        acrossU ? portion(s, from, to, s.firstV(), s.lastV()) : portion(s, s.firstU(), s.lastU(), from, to);
    OffsetOptions o;
    o.distanceMm = 0.0;
    cutSide = acrossU ? (cut->keepsFirst ? LastU : FirstU) : (cut->keepsFirst ? LastV : FirstV);
    o.flat[size_t(cutSide)] = plane;
    if (auto r = offsetSurface(part, o, cx)) return std::move(*r);
  }
  return {};
}

} // namespace lumsk::nurbs
