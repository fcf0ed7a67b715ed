#include "nurbs/patch/fill.h"

#include "nurbs/core/gauss.h"
#include "nurbs/fit/fit.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/patch/patch_rows.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <set>

namespace lumsk::nurbs {

namespace {

constexpr int kFillDegree = 5;
constexpr int kPlacesOfPanel = 4, kLeastPanels = 3;
const std::vector<double> kBetween{0.01, 0.2, 0.41, 0.62, 0.83, 0.99}; ///< of a panel: where joins are measured
constexpr double kMargin = 0.04;                                       ///< of the flat ring's size, around it
constexpr int kFillFirstSpans = 5;
constexpr double kMoreSpans = 1.3;
constexpr size_t kMostFillPoints = 700, kStrictFillPoints = 150;
constexpr double kFirstEvenness = 1e-9, kLastEvenness = 1e-15, kLesser = 0.1;
constexpr double kFillBending = 1e-3; ///< of the evenness
constexpr int kTriesInVain = 3;
constexpr double kWeighedParts = 32; ///< of the ring: over such lengths errors of derivatives are weighed
constexpr double kFillGapPart = 0.5, kFillJoinPart = 0.1, kLaterPart = 5; ///< of the tolerances; the last: with many points
constexpr double kZoneBending = 0.05, kZoneDamping = 0.05;
constexpr double kInsideWeight = 1, kFullnessWeight = 3;
constexpr double kInsideParts = 2, kRaisedParts = 20; ///< of `fit`
constexpr double kRising = 0.05; ///< of the weight of tangency
constexpr int kFootGrid = 40, kFootSteps = 6;
constexpr double kFootReach = 0.1; ///< of the domain, at once
constexpr int kInsidePlaces = 50;
constexpr int kFlatSteps = 2, kDevelopedSteps = 5;
constexpr double kCornerShare = 0.5; ///< of a tolerance: corners that disagree by less are none
constexpr double kRoughZone = 0.03; ///< of an edge
constexpr int kGradings = 3;
constexpr double kRough = 0.1, kLeastSpan = 0.08; ///< relative difference of bending; of an even span
constexpr int kFoldGrid = 48;

double fadingIn(double x) {
  x = std::clamp(x, 0.0, 1.0);
  return x * x * x * (10 + x * (6 * x - 15));
}

/// What the surface needs to know of its ring as long as it is asked for places of it.
struct RingKept {
  std::vector<FillEdge> edges;
  std::vector<ArcLength> lengths;
  FlatRing flat;
  Vec2 low, size;
  Vec2 domain(const Vec2& p) const { return (p - low).cwiseQuotient(size); }
};

class Filler {
public:
  Filler(const std::vector<FillEdge>& ring, const FillOptions& o, const Context& cx) : o_(o), cx_(cx), ring_(std::make_shared<RingKept>()) {
    ring_->edges = ring;
  }

  Expected<FillResult> run() {
    LUMSK_CHECK(layOut());
    LUMSK_CHECK(lookAtCorners());
    LUMSK_TRY(best, refined());
    if (o_.fullnessMm != 0) {
      const Vec2 at = ring_->domain(ring_->flat.deepest());
      raised_ = best.surface.at(at.x(), at.y()) + o_.fullnessMm * best.surface.normal(at.x(), at.y());
      raisedAlong_ = best.surface.normal(at.x(), at.y());
      LUMSK_TRY(fuller, refined());
      best = std::move(fuller);
    }
    FillResult out;
    out.surface = std::move(best.surface);
    out.edges = std::move(best.edges);
    out.corners = corners_;
    out.rough = best.rough;
    out.flatMm = ring_->flat.flatMm();
    out.developed = ring_->flat.developed();
    const Vec2 middle = ring_->domain(ring_->flat.deepest());
    out.middle = out.surface.at(middle.x(), middle.y());
    out.normal = out.surface.normal(middle.x(), middle.y());
    out.image = [ring = ring_](int edge, double share) { return ring->domain(ring->flat.at(edge, share)); };
    LUMSK_CHECK(measureInside(out));
    LUMSK_CHECK(checkShape(out));
    return out;
  }

private:
  int count() const { return int(ring_->edges.size()); }
  int order(int edge) const { return std::min(2, orderOf(ring_->edges[size_t(edge)].meets)); }
  int highest() const {
    int most = 0;
    for (int k = 0; k < count(); ++k) most = std::max(most, order(k));
    return most;
  }
  double length(int edge) const { return ring_->lengths[size_t(edge)].total(); }

  Expected<void> layOut() {
    std::vector<RingEdge> edges;
    for (const FillEdge& e : ring_->edges) ring_->lengths.emplace_back(e.path);
    for (int k = 0; k < count(); ++k)
      edges.push_back({&ring_->edges[size_t(k)].path, &ring_->lengths[size_t(k)],
                       order(k) > 0 ? ring_->edges[size_t(k)].neighbour : Neighbour()});
    LUMSK_TRY(flat, FlatRing::of(edges, cx_));
    ring_->flat = std::move(flat);
    const Vec2 span = ring_->flat.high() - ring_->flat.low();
    const double margin = kMargin * span.maxCoeff();
    ring_->low = ring_->flat.low() - Vec2::Constant(margin);
    ring_->size = span + Vec2::Constant(2 * margin);
    perimeter_ = ring_->flat.lengthMm();
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (const FillEdge& e : ring_->edges)
      for (int i = 0; i < 16; ++i) {
        const Vec3 p = e.path.at(e.path.last() * i / 16.0);
        low = low.cwiseMin(p), high = high.cwiseMax(p);
      }
    box_ = {low, high};
    flatness_ = 1 / (10 * (high - low).norm());
    return {};
  }

  CurveDerivatives onEdge(int k, double share) const {
    const FillEdge& e = ring_->edges[size_t(k)];
    CurveDerivatives d;
    const double t = share >= 1 ? e.path.last() : ring_->lengths[size_t(k)].parameterAtFraction(share);
    e.path.derivatives(std::min(t, std::nextafter(e.path.last(), 0.0)), 2, d);
    if (share >= 1) d[0] = e.path.end();
    const double speed = d[1].squaredNorm();
    const Vec3 tangent = d[1].normalized();
    d[2] = (d[2] - d[2].dot(tangent) * tangent) / speed;
    d[1] = tangent;
    return d;
  }
  Expected<NeighbourPlace> beside(int k, const Vec3& at) const {
    return placeOn(ring_->edges[size_t(k)].neighbour, at, cx_.tolerances.point, "edge " + std::to_string(k + 1),
                   "pick the skin that it lies on, or let it be G0");
  }

  /// Where neighbours of two edges in a row disagree about the tangent plane or the bending of any skin that meets both.
  Expected<void> lookAtCorners() {
    for (int k = 0; k < count(); ++k) {
      const int a = (k + count() - 1) % count();
      if (a == k || (order(a) == 0 && order(k) == 0)) continue;
      const std::array<CurveDerivatives, 2> curve{onEdge(a, 1), onEdge(k, 0)};
      std::array<std::optional<NeighbourPlace>, 2> n;
      PatchCorner c;
      c.side = k;
      c.at = curve[1][0];
      for (int i : {0, 1})
        if (order(i ? k : a) > 0) {
          LUMSK_TRY(place, beside(i ? k : a, c.at));
          n[size_t(i)] = place;
        }
      const auto apart = [&](double x, double y) { return std::abs(x - y) / std::max({std::abs(x), std::abs(y), flatness_}); };
      const auto bend = [](const NeighbourPlace& p, const Vec3& w) { return heightsAlong(p.d, p.normal, w, Vec3::Zero())[0]; };
      const bool straightOn = angleBetweenRad(curve[0][1], curve[1][1]) < radFromDeg(cx_.tolerances.corner.deg);
      for (int i : {0, 1}) {
        if (!n[size_t(i)] || n[size_t(1 - i)]) continue; // two skins are compared with one another
        const CurveDerivatives& other = curve[size_t(1 - i)];
        c.angleDeg = std::max(c.angleDeg, std::abs(90 - degFromRad(angleBetweenRad(n[size_t(i)]->normal, other[1]))));
        if (order(i ? k : a) == 2) c.curvature = std::max(c.curvature, apart(bend(*n[size_t(i)], other[1]), other[2].dot(n[size_t(i)]->normal)));
      }
      if (n[0] && n[1]) {
        const double turn = n[0]->normal.dot(n[1]->normal) < 0 ? -1.0 : 1.0;
        c.angleDeg = degFromRad(angleBetweenRad(n[0]->normal, Vec3(turn * n[1]->normal)));
        const Vec3 inwards = n[0]->normal.cross(curve[0][1]).normalized();
        for (const Vec3& w : {inwards, curve[0][1]})
          if (apart(bend(*n[0], w), turn * bend(*n[1], w)) > kRough) rough_.insert(k);
        if (order(a) == 2 && order(k) == 2) {
          const Vec3 across = n[0]->normal.cross(curve[0][1]).normalized();
          for (const Vec3& w : {across, Vec3((curve[0][1] + across).normalized())})
            c.curvature = std::max(c.curvature, apart(bend(*n[0], w), turn * bend(*n[1], w)));
        } else if (straightOn && order(a) + order(k) == 3) {
          c.curvature = 0; // nothing is asked for on the other side
        }
      }
      const bool kink = c.angleDeg > kCornerShare * cx_.tolerances.angle.deg;
      if (!kink && c.curvature <= kCornerShare * cx_.tolerances.curvature.relative) continue;
      c.zoneMm = o_.zoneShare * std::min(length(a), length(k));
      corners_.push_back(c);
    }
    return {};
  }

  /// A place of an edge with what is asked for there; neighbours are asked once at a place.
  Expected<const PatchAsked*> asked(int k, double share) {
    const auto known = known_.find({k, share});
    if (known != known_.end()) return &known->second;
    PatchAsked a;
    a.side = k, a.s = share;
    const Vec2 x = ring_->domain(ring_->flat.at(k, share));
    a.u = x.x(), a.v = x.y();
    const CurveDerivatives d = onEdge(k, share);
    a.at = d[0], a.along = d[1];
    a.spacing = perimeter_ / kWeighedParts;
    if (order(k) > 0) {
      LUMSK_TRY(p, beside(k, a.at));
      a.beside = p;
      a.along = (a.along - a.along.dot(p.normal) * p.normal).normalized();
    }
    for (const PatchCorner& c : corners_) {
      double from = -1;
      if (c.side == k) from = share * length(k);
      if ((k + 1) % count() == c.side) from = from < 0 ? (1 - share) * length(k) : std::min(from, (1 - share) * length(k));
      if (from < 0) continue;
      const double inside = fadingIn(from / c.zoneMm);
      a.bending = std::min(a.bending, inside);
      if (c.angleDeg > cx_.tolerances.angle.deg) a.tangency = std::min(a.tangency, inside);
    }
    return &(known_[{k, share}] = a);
  }

  /// Shares of an edge between which places are taken: as close as knots are, also beside corners at which they are closer.
  std::vector<double> panels(int k) const {
    const double spacing = std::min(ring_->size.x() / double(spansU_), ring_->size.y() / double(spansV_));
    const int n = std::max(kLeastPanels, int(std::ceil(length(k) / spacing)));
    std::vector<double> out;
    for (int i = 0; i <= n; ++i) out.push_back(double(i) / n);
    for (int g = 0; g < kGradings; ++g) {
      if (rough_.count(k)) out.insert(out.begin() + 1, 0.5 * out[1]);
      if (rough_.count((k + 1) % count())) out.insert(out.end() - 1, 1 - 0.5 * (1 - out[out.size() - 2]));
    }
    return out;
  }
  /// Breaks of one direction: evenly, and closer towards corners at which what lies beside the ring bends otherwise.
  std::vector<double> breaks(bool u) const {
    const int spans = u ? spansU_ : spansV_;
    std::vector<double> out = equalBreaks(spans);
    for (int k : rough_) {
      const Vec2 p = ring_->domain(ring_->flat.at(k, 0));
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

  struct Try {
    Surface surface;
    std::vector<FillEdgeResult> edges;
    SkinJoin rough;       ///< beside rough corners
    double worst = 1e300; ///< in parts of what the fit may use
  };

  Expected<Try> refined() {
    Try best;
    double evenness = kFirstEvenness;
    double spans = kFillFirstSpans;
    for (int round = 0;; ++round, spans *= kMoreSpans) {
      const double cell = ring_->size.maxCoeff() / std::round(spans);
      spansU_ = std::max(3, int(std::lround(ring_->size.x() / cell)));
      spansV_ = std::max(3, int(std::lround(ring_->size.y() / cell)));
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
        const int steps = (highest() > 1 ? (ring_->flat.developed() ? kDevelopedSteps : kFlatSteps) : 0) + (inside() ? 2 : 0);
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
        vain = made.worst < 0.9 * least ? 0 : vain + 1;
        if (made.worst < least) least = made.worst, leastAt = e;
        if (made.worst <= enough) return made;
      }
      evenness = std::min(kFirstEvenness, leastAt * 100);
      if (best.worst <= enough) return best;
    }
    if (best.surface.controlPoints() == 0)
      return fail(problem("LM-V011", "no skin comes of what is asked for at these edges")
                      .at(ring_->edges.front().path.start())
                      .tryThis("ask for less at some of them, or put a curve inside"));
    return best;
  }

  bool inside() const { return !o_.inside.empty() || !o_.points.empty() || raised_; }

  Expected<std::optional<Surface>> solveOnce(SurfaceSquares& squares, const Surface* now, double evenness) {
    squares.begin(evenness, ring_->size.x(), ring_->size.y(), now, kFillBending);
    const GaussRule rule = gaussLegendre(kPlacesOfPanel);
    for (int k = 0; k < count(); ++k) {
      const std::vector<double> at = panels(k);
      for (size_t i = 0; i + 1 < at.size(); ++i)
        for (int g = 0; g < kPlacesOfPanel; ++g) {
          const double part = at[i + 1] - at[i];
          LUMSK_TRY(a, asked(k, at[i] + part * rule.at[size_t(g)]));
          squares.add(rowsOf(squares, *a, rule.weight[size_t(g)] * part * length(k) / perimeter_, now));
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
    const int q = now ? order(a.side) : std::min(1, order(a.side));
    PlaceRows rows = squares.at(a.u, a.v, q);
    const double root = std::sqrt(share);
    rows.askPoint(a.at, root);
    if (q == 0) return rows;
    const Across across{ring_->flat.inward(a.side, a.s).cwiseQuotient(ring_->size)};
    const Vec3& n = a.beside.normal;
    SurfaceDerivatives d;
    if (now) now->derivatives(a.u, a.v, 2, d);
    const Vec3 before = now ? across.first(d) : Vec3::Zero();
    const Vec3 w = before - before.dot(n) * n;
    const double h = a.spacing / (now ? std::max(w.norm(), 0.1) : 1.0);
    if (ring_->flat.developed()) { // a dome's tangent planes alone do not say that it goes up in them
      const Vec3 front = ring_->flat.front(a.side, a.s).dot(n) < 0 ? Vec3(-n) : n, up = front.cross(a.along);
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
      rows.ask(all.data(), all.data() + 5, height - slope.dot(w), a.bending * root * h * h * (corners_.empty() ? 1.0 : kZoneBending));
    }
    if (!corners_.empty())
      for (const Vec3& by : {a.along, Vec3(n.cross(a.along))}) {
        const auto damped = across.one(by);
        rows.ask(damped.data(), damped.data() + 2, w.dot(by), (a.bending < 1 ? 1 : 0.1) * kZoneDamping * root * h);
      }
    return rows;
  }

  /// The place of the surface that is to go through one inside: the nearest within the ring of the first surface there is.
  Vec2 footOf(const Path* curve, int place, const Vec3& p, const Surface& now) {
    if (const auto known = feet_.find({curve, place}); known != feet_.end()) return known->second;
    Vec2 x = ring_->domain(ring_->flat.deepest());
    const auto within = [&](const Vec2& at) { return ring_->flat.contains(ring_->low + at.cwiseProduct(ring_->size)); };
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
      const Vec2 at = ring_->domain(ring_->flat.deepest());
      PlaceRows rows = squares.at(at.x(), at.y(), 0);
      rows.ask({{0, 0, raisedAlong_}}, raisedAlong_.dot(*raised_), kFullnessWeight);
      squares.add(rows);
    }
  }

  Expected<void> measure(Try& t) {
    t.edges.assign(size_t(count()), {});
    t.rough = {};
    t.worst = 0;
    const Tolerances& tol = cx_.tolerances;
    for (int k = 0; k < count(); ++k) {
      FillEdgeResult& e = t.edges[size_t(k)];
      const std::vector<double> at = panels(k);
      for (size_t i = 0; i + 1 < at.size(); ++i)
        for (const double f : kBetween) {
          LUMSK_TRY(a, asked(k, at[i] + (at[i + 1] - at[i]) * f));
          SurfaceDerivatives d;
          t.surface.derivatives(a->u, a->v, 2, d);
          const double gap = (d(0, 0) - a->at).norm();
          e.gapMm = std::max(e.gapMm, gap);
          t.worst = std::max(t.worst, gap / (kFillGapPart * tol.fit.mm));
          if (order(k) == 0 || a->tangency < 1) continue;
          const SkinJoin join = joinWith(a->beside, a->bending < 1 ? 1 : order(k), d, a->along, flatness_);
          const bool rough = (rough_.count(k) && a->s < kRoughZone) || (rough_.count((k + 1) % count()) && a->s > 1 - kRoughZone);
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
      const Vec2 at = ring_->domain(ring_->flat.deepest());
      t.worst = std::max(t.worst, std::abs((t.surface.at(at.x(), at.y()) - *raised_).dot(raisedAlong_)) / (kRaisedParts * tol.fit.mm));
    }
    return {};
  }

  Expected<void> measureInside(FillResult& out) {
    const NearestOnSurface nearest(out.surface);
    const auto within = [&](const Vec3& p, double& worst) -> Expected<void> {
      const auto foot = nearest.foot(p);
      const Vec2 flat = ring_->low + foot.uv.cwiseProduct(ring_->size);
      worst = std::max(worst, foot.distanceMm);
      if (ring_->flat.contains(flat)) return {};
      double off = 1e300;
      for (const Vec2& q : ring_->flat.outline()) off = std::min(off, (q - flat).norm());
      if (off < 2 * perimeter_ / double(ring_->flat.outline().size())) return {};
      return fail(problem("LM-V014", "what is to lie inside the fill lies beyond its ring").at(p).measure(millimetres(off)).tryThis("take the part of it that lies within the ring"));
    };
    for (const Path& g : o_.inside) {
      double worst = 0;
      for (int i = 0; i <= kInsidePlaces; ++i) LUMSK_CHECK(within(g.at(g.last() * i / kInsidePlaces), worst));
      out.insideMm.push_back(worst);
    }
    for (const Vec3& p : o_.points) {
      double worst = 0;
      LUMSK_CHECK(within(p, worst));
      out.insideMm.push_back(worst);
    }
    return {};
  }

  /// Within the ring it has one front everywhere, and it does not run far away from its edges.
  Expected<void> checkShape(const FillResult& out) const {
    Vec3 low = box_[0], high = box_[1];
    for (const Vec3& p : o_.points) low = low.cwiseMin(p), high = high.cwiseMax(p);
    const double size = (high - low).norm() + std::abs(o_.fullnessMm);
    std::vector<std::optional<Vec3>> row(size_t(kFoldGrid) + 1), above;
    for (int i = 0; i <= kFoldGrid; ++i) {
      above = row;
      std::fill(row.begin(), row.end(), std::nullopt);
      for (int j = 0; j <= kFoldGrid; ++j) {
        const Vec2 x(double(j) / kFoldGrid, double(i) / kFoldGrid);
        if (!ring_->flat.contains(ring_->low + x.cwiseProduct(ring_->size))) continue;
        const PointAndNormal p = out.surface.pointAndNormal(x.x(), x.y());
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

  const FillOptions& o_;
  const Context& cx_;
  std::shared_ptr<RingKept> ring_;
  std::vector<PatchCorner> corners_;
  std::set<int> rough_; ///< edges at whose start what lies beside the ring bends otherwise than before
  std::map<std::pair<int, double>, PatchAsked> known_;
  std::map<std::pair<const Path*, int>, Vec2> feet_; ///< of what lies inside
  std::optional<Vec3> raised_;
  Vec3 raisedAlong_ = Vec3::Zero();
  std::array<Vec3, 2> box_;
  double perimeter_ = 0, flatness_ = 1e-3;
  int spansU_ = 3, spansV_ = 3;
};

} // namespace

Expected<FillResult> fill(const std::vector<FillEdge>& ring, const FillOptions& options, const Context& cx) {
  return Filler(ring, options, cx).run();
}

} // namespace lumsk::nurbs
