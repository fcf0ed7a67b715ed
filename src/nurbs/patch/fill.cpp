#include "nurbs/patch/fill.h"

#include "nurbs/core/gauss.h"
#include "nurbs/fit/fit.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/patch/fill_ring.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr int kFillDegree = 5;
constexpr int kPlacesOfPanel = 4, kLeastPanels = 3;
const std::vector<double> kBetween{0.01, 0.2, 0.41, 0.62, 0.83, 0.99}; ///< of a panel: where joins are measured
constexpr int kFillFirstSpans = 5;
constexpr double kMoreSpans = 1.3;
constexpr size_t kMostFillPoints = 700, kStrictFillPoints = 150;
constexpr double kFirstEvenness = 1e-9, kLastEvenness = 1e-15, kLesser = 0.1;
constexpr double kFillBending = 1e-3; ///< of the evenness
constexpr int kTriesInVain = 3;
constexpr double kFillGapPart = 0.5, kFillJoinPart = 0.1, kLaterPart = 5; ///< of the tolerances; the last: with many points
constexpr double kZoneBending = 0.05, kZoneDamping = 0.05;
constexpr double kInsideWeight = 1, kFullnessWeight = 3;
constexpr double kInsideParts = 2, kRaisedParts = 20; ///< of `fit`
constexpr double kRising = 0.05; ///< of the weight of tangency
constexpr int kFootGrid = 40, kFootSteps = 6;
constexpr double kFootReach = 0.1; ///< of the domain, at once
constexpr int kInsidePlaces = 50;
constexpr int kFlatSteps = 2, kDevelopedSteps = 5;
constexpr double kRoughZone = 0.03; ///< of an edge
constexpr int kGradings = 3;
constexpr double kLeastSpan = 0.08; ///< of an even span
constexpr double kLeastRise = 0.1;  ///< of a derivative across, mm a mm
constexpr double kDampedElsewhere = 0.1; ///< of the damping in zones
constexpr double kHelpsAtAll = 0.9, kBackAgain = 100; ///< of the error before; times the evenness that did best, for finer knots
constexpr int kFoldGrid = 48;
constexpr double kOnOutline = 2; ///< of the distance between places of a ring's outline

class Filler {
public:
  Filler(FillRing& ring, const FillOptions& o, const Context& cx) : ring_(ring), o_(o), cx_(cx) {}

  struct Try {
    Surface surface;
    std::vector<FillEdgeResult> edges;
    SkinJoin rough;       ///< beside rough corners
    double worst = 1e300; ///< in parts of what the fit may use
  };

  Expected<Try> run() {
    LUMSK_TRY(best, refined());
    if (o_.fullnessMm == 0) return best;
    const Vec2 at = ring_.middle();
    raisedAlong_ = best.surface.normal(at.x(), at.y());
    raised_ = best.surface.at(at.x(), at.y()) + o_.fullnessMm * raisedAlong_;
    return refined();
  }

private:
  /// Shares of an edge between which places are taken: as close as knots are, also beside corners at which they are closer.
  std::vector<double> panels(int k) const {
    const double spacing = std::min(ring_.size().x() / double(spansU_), ring_.size().y() / double(spansV_));
    const int n = std::max(kLeastPanels, int(std::ceil(ring_.length(k) / spacing)));
    std::vector<double> out;
    for (int i = 0; i <= n; ++i) out.push_back(double(i) / n);
    for (int g = 0; g < kGradings; ++g) {
      if (ring_.rough(k)) out.insert(out.begin() + 1, 0.5 * out[1]);
      if (ring_.rough(k + 1)) out.insert(out.end() - 1, 1 - 0.5 * (1 - out[out.size() - 2]));
    }
    return out;
  }
  /// Breaks of one direction: evenly, and closer towards corners at which what lies beside the ring bends otherwise.
  std::vector<double> breaks(bool u) const {
    const int spans = u ? spansU_ : spansV_;
    std::vector<double> out = equalBreaks(spans);
    for (int k : ring_.roughCorners()) {
      const Vec2 p = ring_.domain(ring_.flat().at(k, 0));
      const double x = u ? p.x() : p.y();
      out.push_back(x);
      for (int g = 1; g <= kGradings; ++g)
        for (double side : {-1.0, 1.0}) out.push_back(x + side / spans / double(1 << g));
    }
    std::sort(out.begin(), out.end());
    std::vector<double> apart{0};
    for (double x : out)
      if (x - apart.back() > kLeastSpan / spans && x < 1 - kLeastSpan / spans) apart.push_back(x);
    apart.push_back(1);
    return apart;
  }

  Expected<Try> refined() {
    Try best;
    double evenness = kFirstEvenness;
    double spans = kFillFirstSpans;
    for (int round = 0;; ++round, spans *= kMoreSpans) {
      const double cell = ring_.size().maxCoeff() / std::round(spans);
      spansU_ = std::max(3, int(std::lround(ring_.size().x() / cell)));
      spansV_ = std::max(3, int(std::lround(ring_.size().y() / cell)));
      const std::vector<double> breaksU = breaks(true), breaksV = breaks(false);
      const size_t points = (breaksU.size() - 1 + kFillDegree) * (breaksV.size() - 1 + kFillDegree);
      if (points > kMostFillPoints && round > 0) break;
      const double enough = points > kStrictFillPoints ? kLaterPart : 1;
      SurfaceSquares squares(kFillDegree, clampedKnots(kFillDegree, breaksU), clampedKnots(kFillDegree, breaksV));
      std::optional<Surface> now;
      double least = 1e300, leastAt = evenness;
      int vain = 0;
      for (double e = evenness; e > kLastEvenness && (vain < kTriesInVain || inside()); e *= kLesser) {
        if (cx_.stopped()) return fail(cancelled());
        const int steps = (ring_.highest() > 1 ? (ring_.flat().developed() ? kDevelopedSteps : kFlatSteps) : 0) + (inside() ? 2 : 0);
        bool solved = true;
        for (int step = now ? 1 : 0; step <= steps + (now ? 1 : 0) && solved; ++step) {
          LUMSK_TRY(next, solveOnce(squares, now ? &*now : nullptr, e));
          solved = next.has_value();
          if (solved) now = std::move(next);
        }
        if (!solved) break;
        Try made;
        made.surface = *now;
        LUMSK_CHECK(measure(made));
        if (made.worst < best.worst) best = made;
        vain = made.worst < kHelpsAtAll * least ? 0 : vain + 1;
        if (made.worst < least) least = made.worst, leastAt = e;
        if (made.worst <= enough) return made;
      }
      evenness = std::min(kFirstEvenness, leastAt * kBackAgain);
      if (best.worst <= enough) return best;
    }
    if (best.surface.controlPoints() == 0)
      return fail(problem("LM-V011", "no skin comes of what is asked for at these edges")
                      .at(ring_.path(0).start())
                      .tryThis("ask for less at some of them, or put a curve inside"));
    return best;
  }

  bool inside() const { return !o_.inside.empty() || !o_.points.empty() || raised_; }

  Expected<std::optional<Surface>> solveOnce(SurfaceSquares& squares, const Surface* now, double evenness) {
    squares.begin(evenness, ring_.size().x(), ring_.size().y(), now, kFillBending);
    const GaussRule rule = gaussLegendre(kPlacesOfPanel);
    for (int k = 0; k < ring_.count(); ++k) {
      const std::vector<double> at = panels(k);
      for (size_t i = 0; i + 1 < at.size(); ++i)
        for (int g = 0; g < kPlacesOfPanel; ++g) {
          const double part = at[i + 1] - at[i];
          LUMSK_TRY(a, ring_.asked(k, at[i] + part * rule.at[size_t(g)]));
          squares.add(rowsOf(squares, *a, rule.weight[size_t(g)] * part * ring_.length(k) / ring_.perimeter(), now));
        }
    }
    if (now) addInside(squares, *now);
    return squares.solve();
  }

  /// Derivatives across an edge, by length in the flat ring, as those of the surface.
  struct Across {
    Vec2 c; ///< of the domain, for a millimetre inwards
    Vec3 first(const SurfaceDerivatives& d) const { return c.x() * d(1, 0) + c.y() * d(0, 1); }
    std::array<PlaceRows::Term, 2> one(const Vec3& by) const { return {PlaceRows::Term{1, 0, c.x() * by}, {0, 1, c.y() * by}}; }
    std::array<PlaceRows::Term, 3> two(const Vec3& by) const {
      return {PlaceRows::Term{2, 0, c.x() * c.x() * by}, {1, 1, 2 * c.x() * c.y() * by}, {0, 2, c.y() * c.y() * by}};
    }
  };

  PlaceRows rowsOf(const SurfaceSquares& squares, const PatchAsked& a, double share, const Surface* now) const {
    const int q = now ? ring_.order(a.side) : std::min(1, ring_.order(a.side));
    PlaceRows rows = squares.at(a.u, a.v, q);
    const double root = std::sqrt(share);
    rows.askPoint(a.at, root);
    if (q == 0) return rows;
    const Across across{ring_.flat().inward(a.side, a.s).cwiseQuotient(ring_.size())};
    const Vec3& n = a.beside.normal;
    SurfaceDerivatives d;
    if (now) now->derivatives(a.u, a.v, 2, d);
    const Vec3 before = now ? across.first(d) : Vec3::Zero();
    const Vec3 w = before - before.dot(n) * n;
    const double h = a.spacing / (now ? std::max(w.norm(), kLeastRise) : 1.0);
    if (ring_.flat().developed()) { // a dome's tangent planes alone do not say that it goes up in them
      const Vec3 front = ring_.flat().front(a.side, a.s).dot(n) < 0 ? Vec3(-n) : n, up = front.cross(a.along);
      const auto rising = across.one(up);
      rows.ask(rising.data(), rising.data() + 2, 1, kRising * root * a.spacing);
    }
    const auto one = across.one(n);
    rows.ask(one.data(), one.data() + 2, 0, a.tangency * root * h);
    if (!now) return rows;
    if (q >= 2) {
      const Vec3 slope = slopeOf(a, w);
      const double height = heightsAlong(a.beside.d, n, w, Vec3::Zero())[0];
      const auto second = across.two(n);
      const auto first = across.one(Vec3(-slope));
      const std::array<PlaceRows::Term, 5> all{second[0], second[1], second[2], first[0], first[1]};
      rows.ask(all.data(), all.data() + 5, height - slope.dot(w), a.bending * root * h * h * (ring_.corners().empty() ? 1.0 : kZoneBending));
    }
    if (!ring_.corners().empty())
      for (const Vec3& by : {a.along, Vec3(n.cross(a.along))}) {
        const auto damped = across.one(by);
        rows.ask(damped.data(), damped.data() + 2, w.dot(by), (a.bending < 1 ? 1 : kDampedElsewhere) * kZoneDamping * root * h);
      }
    return rows;
  }

  /// The place of the surface that is to go through one inside: the nearest within the ring of the first surface there is.
  Vec2 footOf(const Path* curve, int place, const Vec3& p, const Surface& now) {
    if (const auto known = feet_.find({curve, place}); known != feet_.end()) return known->second;
    Vec2 x = ring_.middle();
    const auto within = [&](const Vec2& at) { return ring_.contains(at); };
    double least = 1e300;
    for (int i = 0; i <= kFootGrid; ++i)
      for (int j = 0; j <= kFootGrid; ++j) {
        const Vec2 at(double(i) / kFootGrid, double(j) / kFootGrid);
        if (!within(at)) continue;
        if (const double off = (now.at(at.x(), at.y()) - p).norm(); off < least) least = off, x = at;
      }
    for (int it = 0; it < kFootSteps; ++it) {
      SurfaceDerivatives d;
      now.derivatives(x.x(), x.y(), 1, d);
      const FootSystem at = straightFootSystem(d, p);
      const Vec2 step = -at.bend.inverse() * at.gradient, next = x + step * std::min(1.0, kFootReach / std::max(step.norm(), 1e-12));
      if (!next.allFinite() || next.minCoeff() < 0 || next.maxCoeff() > 1) break;
      x = next;
      if (step.norm() < 1e-10) break;
    }
    return feet_[{curve, place}] = x;
  }

  void addInside(SurfaceSquares& squares, const Surface& now) {
    const auto pass = [&](const Vec3& p, const Vec2& at, double weight) {
      PlaceRows rows = squares.at(at.x(), at.y(), 0);
      rows.askPoint(p, weight);
      squares.add(rows);
    };
    for (const Path& g : o_.inside) {
      for (int i = 0; i <= kInsidePlaces; ++i) {
        const Vec3 p = g.at(g.last() * i / kInsidePlaces);
        const Vec2 at = footOf(&g, i, p, now);
        pass(p, at, kInsideWeight * std::sqrt(1.0 / kInsidePlaces));
      }
    }
    for (size_t i = 0; i < o_.points.size(); ++i) {
      const Vec2 at = footOf(nullptr, int(i), o_.points[i], now);
      pass(o_.points[i], at, kInsideWeight);
    }
    if (raised_) {
      const Vec2 at = ring_.middle();
      PlaceRows rows = squares.at(at.x(), at.y(), 0);
      rows.ask({{0, 0, raisedAlong_}}, raisedAlong_.dot(*raised_), kFullnessWeight);
      squares.add(rows);
    }
  }

  Expected<void> measure(Try& t) {
    t.edges.assign(size_t(ring_.count()), {});
    t.rough = {};
    t.worst = 0;
    const Tolerances& tol = cx_.tolerances;
    for (int k = 0; k < ring_.count(); ++k) {
      FillEdgeResult& e = t.edges[size_t(k)];
      const std::vector<double> at = panels(k);
      for (size_t i = 0; i + 1 < at.size(); ++i)
        for (const double f : kBetween) {
          LUMSK_TRY(a, ring_.asked(k, at[i] + (at[i + 1] - at[i]) * f));
          SurfaceDerivatives d;
          t.surface.derivatives(a->u, a->v, 2, d);
          const double gap = (d(0, 0) - a->at).norm();
          e.gapMm = std::max(e.gapMm, gap);
          t.worst = std::max(t.worst, gap / (kFillGapPart * tol.fit.mm));
          if (ring_.order(k) == 0 || a->tangency < 1) continue;
          const SkinJoin join = joinWith(a->beside, a->bending < 1 ? 1 : ring_.order(k), d, a->along, ring_.leastBend());
          const bool rough = (ring_.rough(k) && a->s < kRoughZone) || (ring_.rough(k + 1) && a->s > 1 - kRoughZone);
          (rough ? t.rough : e.join).take(join, tol);
        }
      t.worst = std::max({t.worst, e.join.angleDeg / (kFillJoinPart * tol.angle.deg), e.join.curvature / (kFillJoinPart * tol.curvature.relative)});
    }
    // What lies inside is passed through, and the middle raised.
    const auto inside = [&](const Vec3& p, const Vec2& at) {
      t.worst = std::max(t.worst, (t.surface.at(at.x(), at.y()) - p).norm() / (kInsideParts * tol.fit.mm));
    };
    for (const Path& g : o_.inside)
      for (int i = 0; i <= kInsidePlaces; ++i) {
        const Vec3 p = g.at(g.last() * i / kInsidePlaces);
        inside(p, footOf(&g, i, p, t.surface));
      }
    for (size_t i = 0; i < o_.points.size(); ++i) inside(o_.points[i], footOf(nullptr, int(i), o_.points[i], t.surface));
    if (raised_) {
      const Vec2 at = ring_.middle();
      t.worst = std::max(t.worst, std::abs((t.surface.at(at.x(), at.y()) - *raised_).dot(raisedAlong_)) / (kRaisedParts * tol.fit.mm));
    }
    return {};
  }

  FillRing& ring_;
  const FillOptions& o_;
  const Context& cx_;
  std::map<std::pair<const Path*, int>, Vec2> feet_; ///< of what lies inside
  std::optional<Vec3> raised_;
  Vec3 raisedAlong_ = Vec3::Zero();
  int spansU_ = 3, spansV_ = 3;
};

/// How far curves and points inside are left.
Expected<std::vector<double>> leftInside(const FillRing& ring, const FillOptions& o, const Surface& s) {
  const NearestOnSurface nearest(s);
  const std::vector<Vec2>& outline = ring.flat().outline();
  const auto off = [&](const Vec3& p) -> Expected<double> {
    const auto foot = nearest.foot(p);
    if (ring.contains(foot.uv)) return foot.distanceMm;
    double beyond = 1e300;
    for (const Vec2& q : outline) beyond = std::min(beyond, (q - ring.flatOf(foot.uv)).norm());
    if (beyond < kOnOutline * ring.perimeter() / double(outline.size())) return foot.distanceMm;
    return fail(problem("LM-V014", "what is to lie inside the fill lies beyond its ring")
                    .at(p)
                    .measure(millimetres(beyond))
                    .tryThis("take the part of it that lies within the ring"));
  };
  std::vector<double> out;
  for (const Path& g : o.inside) {
    double worst = 0;
    for (int i = 0; i <= kInsidePlaces; ++i) {
      LUMSK_TRY(mm, off(g.at(g.last() * i / kInsidePlaces)));
      worst = std::max(worst, mm);
    }
    out.push_back(worst);
  }
  for (const Vec3& p : o.points) {
    LUMSK_TRY(mm, off(p));
    out.push_back(mm);
  }
  return out;
}

/// Where it is known which way leads out of what lies beside an edge, the fill goes that way.
Expected<void> checkWayOut(const FillRing& ring, const Surface& s) {
  for (int k = 0; k < ring.count(); ++k) {
    const auto at = ring.wayOut(k);
    if (!at) continue;
    const Vec2 x = ring.domain(ring.flat().at(k, at->share)), c = ring.flat().inward(k, at->share).cwiseQuotient(ring.size());
    SurfaceDerivatives d;
    s.derivatives(x.x(), x.y(), 1, d);
    if ((c.x() * d(1, 0) + c.y() * d(0, 1)).dot(at->away) <= 0)
      return fail(problem("LM-V012", "the fill folds back on what lies beside edge " + std::to_string(k + 1)).at(d(0, 0)).tryThis("ask for G0 there, or put a curve inside"));
  }
  return {};
}

/// Within the ring it has one front everywhere, and it does not run far away from its edges and what lies inside.
Expected<void> checkShape(const FillRing& ring, const FillOptions& o, const Surface& s) {
  Vec3 low = ring.box()[0], high = ring.box()[1];
  const auto take = [&](const Vec3& p) { low = low.cwiseMin(p), high = high.cwiseMax(p); };
  for (const Vec3& p : o.points) take(p);
  for (const Path& g : o.inside)
    for (int i = 0; i <= kInsidePlaces; ++i) take(g.at(g.last() * i / kInsidePlaces));
  const double size = (high - low).norm() + std::abs(o.fullnessMm);
  std::vector<std::optional<Vec3>> row(size_t(kFoldGrid) + 1), above;
  for (int i = 0; i <= kFoldGrid; ++i) {
    above = row;
    std::fill(row.begin(), row.end(), std::nullopt);
    for (int j = 0; j <= kFoldGrid; ++j) {
      const Vec2 x(double(j) / kFoldGrid, double(i) / kFoldGrid);
      if (!ring.contains(x)) continue;
      const PointAndNormal p = s.pointAndNormal(x.x(), x.y());
      const double beyond = std::max((low - p.point).maxCoeff(), (p.point - high).maxCoeff());
      if (beyond > size)
        return fail(problem("LM-V013", "the fill runs away from its edges: they hardly say how it is to go on")
                        .measure(millimetres(beyond))
                        .at(p.point)
                        .tryThis("put a curve inside, or ask for less at an edge"));
      row[size_t(j)] = p.normal;
      const bool left = j > 0 && row[size_t(j) - 1] && row[size_t(j) - 1]->dot(p.normal) < 0;
      const bool over = above[size_t(j)] && above[size_t(j)]->dot(p.normal) < 0;
      if (left || over || p.normal.isZero())
        return fail(problem("LM-V012", "the fill folds over itself here")
                        .at(p.point)
                        .tryThis("put a curve inside, ask for less at an edge nearby, or fill it in two parts"));
    }
  }
  return {};
}

} // namespace

Vec2 FillResult::footOf(const Vec3& p, int edge, double share) const {
  constexpr int kSteps = 8;
  constexpr double kStill = 1e-13; // of the domain
  Vec2 uv = image(edge, share);
  for (int it = 0; it < kSteps; ++it) {
    SurfaceDerivatives d;
    surface.derivatives(uv.x(), uv.y(), 2, d);
    const FootSystem foot = straightFootSystem(d, p);
    const Vec2 step = foot.bend.inverse() * foot.gradient;
    if (!step.allFinite()) break;
    uv = (uv - step).cwiseMax(0.0).cwiseMin(1.0);
    if (step.norm() < kStill) break;
  }
  return uv;
}

Expected<FillResult> fill(const std::vector<FillEdge>& edges, const FillOptions& options, const Context& cx) {
  LUMSK_TRY(ring, FillRing::of(edges, options.zoneShare, cx.tolerances, cx));
  LUMSK_TRY(best, Filler(*ring, options, cx).run());
  LUMSK_TRY(inside, leftInside(*ring, options, best.surface));
  LUMSK_CHECK(checkWayOut(*ring, best.surface));
  LUMSK_CHECK(checkShape(*ring, options, best.surface));
  FillResult out;
  out.surface = std::move(best.surface);
  out.edges = std::move(best.edges);
  out.rough = best.rough;
  out.corners = ring->corners();
  out.insideMm = std::move(inside);
  out.centre = ring->middle();
  const PointAndNormal middle = out.surface.pointAndNormal(out.centre.x(), out.centre.y());
  out.middle = middle.point, out.normal = middle.normal;
  out.image = [ring = ring](int edge, double share) { return ring->domain(ring->flat().at(edge, share)); };
  return out;
}

} // namespace lumsk::nurbs
