#include "nurbs/patch/patch_fit.h"

#include "nurbs/fit/fit.h"
#include "nurbs/core/gauss.h"
#include "nurbs/patch/patch_rows.h"
#include "nurbs/patch/quintic_step.h"
#include "nurbs/joins/side_conditions.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace lumsk::nurbs {

namespace {

constexpr int kDegree = 5;
constexpr int kPerSpan = 4; ///< places with conditions, of every span of a side (Gauss-Legendre)
/// Of a span: where joins are measured, between them; of third order at more places.
const std::vector<double> kLooks{0.004, 0.1, 0.3, 0.5, 0.7, 0.9, 0.996},
    kThirdLooks{0.004, 0.06, 0.12, 0.18, 0.24, 0.3, 0.36, 0.43, 0.5, 0.57, 0.64, 0.7, 0.76, 0.82, 0.88, 0.94, 0.996};
constexpr int kFirstSpans = 5, kPoleSpans = 8; ///< the latter beside poles of patches
                                               ///< that flow into nothing, where few knots make waves
constexpr double kWeighedSpans =
    8;                         ///< errors of derivatives count as those of places that change so often along a side
constexpr int kSteps = 2;      ///< of Gauss-Newton, after the linear one
constexpr int kGuideSteps = 4; ///< so many more along guides
constexpr int kMostTries = 6, kStrictTries = 3;
constexpr size_t kLight = 220;     ///< control points up to which a patch is refined beyond what is asked for
constexpr double kFirstPart = 0.4; ///< of the angle's tolerance: on what normals of the sides are fitted first
constexpr double kEnough = 4;      ///< later tries: edges are fits too, whose errors finer knots would follow
constexpr int kMostSteps = 6;      ///< as long as they help
constexpr double kHelps = 0.6, kFarWorse = 1.5;
constexpr double kStillHelps = 0.8; ///< finer knots of heavy patches that help less are not tried further
constexpr double kThirdSpans = 2;   ///< knot spans over which errors of third derivatives are weighed at most
constexpr size_t kHeavy = 900;      ///< control points
constexpr double kAimed = 0.6;                       ///< of what the fit may use, with finer knots
constexpr double kJoinPart = 0.1, kRatePart = 0.1;   ///< of a join's tolerances: what the fit may use
constexpr double kGapPart = 0.2, kBareGapPart = 0.6; ///< of `fit`; the latter where nothing flows on
constexpr double kEvenness = 1e-13; ///< weight of the evenness in unit scale; with a tenth of it rounding shows
constexpr double kMoreEven = 10, kMostEven = 1e-8, kLessEven = 0.03, kLeastEvenness = 1e-16;
constexpr double kBendWeight = 1.0, kZoneBendWeight = 0.05;  ///< of curvature rows; the latter where corners disagree
constexpr double kDamping = 0.05;                            ///< of the tangential part of derivatives across, in zones
constexpr double kTensionWeight = 0.01, kTensionFades = 0.3; ///< the latter: towards corners, of a side
constexpr double kLeastShare = 0.05;    ///< of the ring: what the places of poles and short sides count at least
constexpr double kLeastReach = 0.01;    ///< of the ring: shorter derivatives across, beside poles, do not count more
constexpr int kGuidePlaces = 60;
constexpr double kGuidePart = 0.4;      ///< of `fit`: what the fit may leave curves inside by
constexpr int kGradings = 4; ///< halvings of the knots towards corners that disagree

Problem undetermined(const Vec3& at) {
  return problem("LM-H010", "the patch is not determined by its edges")
      .at(at)
      .tryThis("check that the edges lie apart");
}

class PatchFitter : PatchSides {
public:
  PatchFitter(const std::array<PatchSide, 4>& sides, const PatchFitOptions& o, const Context& cx)
      : PatchSides(sides, o, cx) {}

  Expected<PatchFitted> run() {
    findSizes();
    LUMSK_CHECK(lookAtCorners());
    LUMSK_TRY(found, refined());
    // What is asked for of higher order is given up before the patch leaves its edges or their tangent planes.
    for (int most = highestOrder() - 1; most >= 1 && !found.holds; --most) {
      if (std::none_of(sides_.begin(), sides_.end(), [&](const PatchSide& s) { return orderOf(s.meets) > most; }))
        continue;
      mostOrder_ = most;
      auto lower = refined();
      if (!lower && isCancelled(lower.error())) return fail(lower.error());
      if (lower && (lower->holds || lower->basic < found.basic)) found = std::move(*lower);
    }
    if (found.fitted.surface.controlPoints() == 0) return fail(undetermined(sides_[0].ends[0]));
    PatchFitted best = std::move(found.fitted);
    // What is left over at mirror planes is taken out.
    static constexpr std::array<Side, 4> kSides{FirstV, LastU, LastV, FirstU};
    for (int k = 0; k < 4; ++k)
      if (atPlane(k))
        best.surface = meetingPlane(best.surface, kSides[size_t(k)], sides_[size_t(k)].ends[0], sides_[size_t(k)].plane,
                                    askedOrder(k) > 1 ? Meets::Mirror : Meets::Perpendicular, {}, EndShape::Local);
    best.corners = corners_;
    best.corners.insert(best.corners.end(), poleCorners_.begin(), poleCorners_.end());
    return best;
  }

private:
  // Knots

  /// Breaks on which both sides of a direction, and the normals beside them, are fitted closely enough.
  Expected<void> firstBreaks(bool u) {
    std::vector<double>& breaks = u ? breaksU_ : breaksV_;
    CurveFamily family;
    std::vector<int> sides;
    for (int k = u ? 0 : 1; k < 4; k += 2)
      if (!bare(k)) sides.push_back(k);
    for (int k : sides) family.curves += order(k) > 0 ? 2 : 1;
    LeanOptions lean;
    lean.degree = kDegree;
    lean.fit = {gapPart() * cx_.tolerances.fit.mm};
    const bool poles = isPole(0) || isPole(1) || isPole(2) || isPole(3);
    lean.firstSpans = poles && highestOrder() == 0 ? kPoleSpans : kFirstSpans;
    lean.baseSamples = 80;
    const double perRad = lean.fit.mm / (kFirstPart * radFromDeg(cx_.tolerances.angle.deg));
    std::optional<Problem> missing;
    family.sample = [&](double t, double* out) {
      for (int k : sides) {
        const CurveDerivatives d = onSide(k, t);
        Eigen::Map<Vec3>(out, 3) = d[0], out += 3;
        if (order(k) == 0) continue;
        auto place = beside(k, d);
        if (!place && !missing) missing = place.error();
        Vec3 n = place ? place->normal : Vec3(Vec3::UnitZ());
        if (n.dot(lastNormal_[size_t(k)]) < 0) n = -n;
        lastNormal_[size_t(k)] = n;
        Eigen::Map<Vec3>(out, 3) = perRad * n, out += 3;
      }
    };
    if (sides.empty()) {
      breaks = {0, 0.25, 0.5, 0.75, 1};
    } else {
      auto fit = fitLean(family, lean);
      if (missing) return fail(*missing);
      if (!fit) return fail(fit.error());
      breaks = fit->breaks;
    }
    for (const PatchCorner& c : corners_) {
      const bool last = u ? c.side == 1 || c.side == 2 : c.side == 2 || c.side == 3;
      const double zone = c.zoneMm / std::max(u ? sizeU_ : sizeV_, 1e-9);
      for (int g = 0; g < kGradings; ++g) {
        const double x = zone / double(1 << g);
        breaks.push_back(last ? 1 - x : x);
      }
    }
    std::sort(breaks.begin(), breaks.end());
    constexpr double kLeast = 2e-3;
    breaks.erase(std::unique(breaks.begin(), breaks.end(), [](double a, double b) { return b - a < kLeast; }),
                 breaks.end());
    breaks.back() = 1;
    return {};
  }

  // Rows

  Expected<void> collect() {
    asked_.clear();
    const GaussRule rule = gaussLegendre(kPerSpan);
    for (int k = 0; k < 4; ++k) {
      if (sides_[size_t(k)].free) continue;
      const std::vector<double>& b = alongU(k) ? breaksU_ : breaksV_;
      for (size_t i = 0; i + 1 < b.size(); ++i)
        for (int g = 0; g < kPerSpan; ++g) {
          LUMSK_TRY(a, ask(k, b[i] + (b[i + 1] - b[i]) * rule.at[size_t(g)]));
          const double part = (b[i + 1] - b[i]) * rule.weight[size_t(g)];
          a.share = part * std::max(length_[size_t(k)], kLeastShare * ring_) / ring_;
          a.spacing = std::max(length_[size_t(k)], kLeastShare * ring_) / kWeighedSpans;
          a.knots = (b[i + 1] - b[i]) * std::max(length_[size_t(k)], kLeastShare * ring_);
          asked_.push_back(std::move(a));
        }
    }
    return {};
  }
  /// Neighbours are asked once at a place.
  Expected<PatchAsked> ask(int side, double s) {
    if (const auto known = known_.find({side, s}); known != known_.end()) return known->second;
    LUMSK_TRY(a, asked(side, s));
    known_[{side, s}] = a;
    return a;
  }
  Expected<PatchAsked> asked(int side, double s) const {
    PatchAsked a;
    a.side = side, a.s = s;
    const Vec2 x = domain(side, s);
    a.u = x.x(), a.v = x.y();
    const CurveDerivatives d = onSide(side, s);
    a.at = d[0], a.along = d[1];
    if (isPole(side)) {
      a.beside = poles_[size_t(side)].place;
      a.along = a.beside.normal.unitOrthogonal();
      return a;
    }
    if (order(side) > 0) {
      LUMSK_TRY(p, beside(side, d));
      a.beside = p;
    }
    if (isPole(alongU(side) ? 3 : 0)) a.bending = quinticStep(s / PatchFitted::kPoleZone);
    if (isPole(alongU(side) ? 1 : 2)) a.bending = std::min(a.bending, quinticStep((1 - s) / PatchFitted::kPoleZone));
    a.besidePole = a.bending < 1;
    for (const PatchCorner& c : corners_) {
      const double from = cornerOn(side, c.side);
      if (from < 0) continue;
      const double inside = quinticStep(std::abs(s - from) * length_[size_t(side)] / c.zoneMm);
      a.bending = std::min(a.bending, inside);
      if (c.angleDeg > cx_.tolerances.angle.deg) a.tangency = std::min(a.tangency, inside);
    }
    return a;
  }

  struct Try {
    PatchFitted fitted;
    double worst = 1e300; ///< in parts of what the fit may use
    double basic = 1e300; ///< place and tangency alone, in parts of their tolerances
    bool holds = false;   ///< basic is within them
  };

  /// Tries with ever finer knots. Without a patch where there is no definite matrix at all.
  Expected<Try> refined() {
    for (bool u : {true, false}) LUMSK_CHECK(firstBreaks(u));
    last_.reset();
    known_.clear();
    guideFeet_.clear();
    evenness_ = kEvenness;
    Try best;
    for (int tries = 1; tries <= kMostTries; ++tries) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(double(tries - 1) / kMostTries, "fitting the patch");
      auto tried = solve();
      if (!tried && tried.error().code != "LM-H010") return fail(tried.error());
      if (!tried) break; // finer knots leave no definite matrix
      Try& now = *tried;
      // Finer knots follow what the edges themselves leave of third order.
      if (highestOrder() > 2 && now.worst > kFarWorse * best.worst) break;
      const bool helped = now.worst < kStillHelps * best.worst;
      if (now.holds != best.holds ? now.holds : now.worst < best.worst) best = std::move(now);
      // Where finer knots do not help it may be evenness that keeps large forms off their edges.
      if (!helped && !best.holds && evenness_ > kLeastEvenness) {
        evenness_ *= kLessEven;
        continue;
      }
      if (!helped && controlPoints() > kHeavy) break;
      const bool fine = refine();
      const bool strict = tries < kStrictTries && controlPoints() <= kLight;
      if ((best.worst <= (strict ? 1 : kEnough) && best.holds) || !fine) break;
    }
    return best;
  }

  Expected<Try> solve() {
    LUMSK_CHECK(collect());
    SurfaceSquares squares(kDegree, clampedKnots(kDegree, breaksU_), clampedKnots(kDegree, breaksV_));
    std::optional<Surface> now, even;
    const bool pulled = std::any_of(sides_.begin(), sides_.end(), [](const PatchSide& s) { return s.tension != 1; });
    // Finer knots go on from what the coarser ones gave; third order starts afresh, which keeps it calm between the
    // rows.
    const bool first = !last_ || pulled || highestOrder() > 2;
    if (!first) now = last_;
    LUMSK_CHECK(solveOnce(squares, now, even));
    for (int step = first ? 0 : std::max(0, leastSteps() - 1); step < leastSteps(); ++step)
      LUMSK_CHECK(solveOnce(squares, now, even));
    if (pulled) {
      even = now;
      for (int step = 0; step <= leastSteps(); ++step) LUMSK_CHECK(solveOnce(squares, now, even));
    }
    Try best;
    LUMSK_CHECK(measured(*now, best));
    for (int step = leastSteps(); leastSteps() > 0 && step < kMostSteps && best.worst > 1; ++step) {
      LUMSK_CHECK(solveOnce(squares, now, even));
      Try next;
      LUMSK_CHECK(measured(*now, next));
      const bool helps = next.worst < kHelps * best.worst;
      if (next.worst < best.worst) best = std::move(next);
      if (!helps) break;
    }
    last_ = best.fitted.surface;
    return best;
  }
  double gapPart() const { return highestOrder() > 0 ? kGapPart : kBareGapPart; }
  int leastSteps() const { return (highestOrder() > 1 ? kSteps : 0) + (o_.guides.empty() ? 0 : kGuideSteps); }
  Expected<void> measured(const Surface& s, Try& t) {
    t.fitted.surface = s;
    LUMSK_TRY(worst, measure(t.fitted));
    t.worst = worst;
    t.basic = 0;
    for (int k = 0; k < 4; ++k)
      t.basic = std::max({t.basic, t.fitted.gapMm[size_t(k)] / cx_.tolerances.point.mm,
                          t.fitted.joins[size_t(k)].angleDeg / cx_.tolerances.angle.deg});
    t.holds = t.basic <= 1;
    return {};
  }

  /// `even`: the patch without tension.
  Expected<void> solveOnce(SurfaceSquares& squares, std::optional<Surface>& now, const std::optional<Surface>& even) {
    // Rounding may leave a matrix that is not definite: a little more evenness mends that.
    for (;; evenness_ *= kMoreEven) {
      if (cx_.stopped()) return fail(cancelled());
      squares.begin(evenness_, sizeU_, sizeV_, now ? &*now : nullptr);
      for (const PatchAsked& a : asked_) squares.add(rowsOf(squares, a, now ? &*now : nullptr, even ? &*even : nullptr));
      if (now)
        for (const Path* g : o_.guides) addGuide(squares, *g, *now);
      guideFeet_.forgetSurface();
      if (auto next = squares.solve()) {
        now = std::move(next);
        return {};
      }
      if (evenness_ > kMostEven)
        return fail(undetermined(sides_[0].ends[0]));
    }
  }

  PlaceRows rowsOf(const SurfaceSquares& squares, const PatchAsked& a, const Surface* now, const Surface* even) const {
    const int asked = isPole(a.side) ? poles_[size_t(a.side)].order : order(a.side);
    const int q = now ? asked : std::min(1, asked);
    PlaceRows rows = squares.at(a.u, a.v, q);
    const double root = std::sqrt(a.share);
    rows.askPoint(a.at, root);
    if (q == 0) return rows;
    const bool u = !alongU(a.side);
    const double sign = atLast(a.side) ? -1 : 1;
    const auto term = [&](int k, const Vec3& by) {
      return PlaceRows::Term{u ? k : 0, u ? 0 : k, k % 2 ? Vec3(sign * by) : by};
    };
    SurfaceDerivatives d;
    if (now) now->derivatives(a.u, a.v, 3, d);
    const auto across = [&](int k) { return Vec3((k % 2 ? sign : 1.0) * (u ? d(k, 0) : d(0, k))); };
    const Vec3& n = a.beside.normal;
    const double reach = now ? across(1).norm() : (onSide((a.side + 2) % 4, a.s)[0] - a.at).norm();
    const double h = a.spacing / std::max(reach, kLeastReach * ring_);
    // Between close knots third derivatives would outweigh places so far that rounding decides.
    const double third = std::pow(std::min(a.spacing, kThirdSpans * a.knots) / std::max(reach, kLeastReach * ring_), 3);
    rows.ask({term(1, n)}, 0, a.tangency * root * h);
    if (atPlane(a.side)) {
      if (q < 3) return rows;
      // Even about the plane: what is odd goes straight on, and the third derivative with it.
      rows.ask({term(1, a.along)}, 0, a.tangency * root * h);
      rows.ask({term(3, n)}, 0, a.bending * root * third);
      rows.ask({term(3, a.along)}, 0, a.bending * root * third);
      return rows;
    }
    const auto within = [&](const Vec3& x) { return Vec3(x - x.dot(n) * n); };
    if (q >= 2) {
      const Vec3 w = within(across(1));
      const Vec3 slope = slopeOf(a, w);
      const double height = bend(a.beside, w);
      const double weight = a.bending * root * h * h * (corners_.empty() ? kBendWeight : kZoneBendWeight);
      rows.ask({term(2, n), term(1, -slope)}, height - slope.dot(w), weight);
      if (q >= 3) askRate(rows, a, term, w, within(across(2)), a.bending * root * third);
    }
    if (isPole(a.side)) return rows;
    const bool poles = isPole(0) || isPole(1) || isPole(2) || isPole(3);
    if (now && !even && (a.bending < 1 || poles)) askWithin(rows, term, a, within(across(1)), kDamping * root * h);
    if (even && sides_[size_t(a.side)].tension != 1) {
      even->derivatives(a.u, a.v, 1, d);
      const double fades = quinticStep(std::min(a.s, 1 - a.s) / kTensionFades);
      const double by = 1 + (sides_[size_t(a.side)].tension - 1) * fades;
      askWithin(rows, term, a, by * within(across(1)), kTensionWeight * root * h);
    }
    return rows;
  }

  void addGuide(SurfaceSquares& squares, const Path& g, const Surface& now) {
    const double root = std::sqrt(1.0 / kGuidePlaces);
    for (int i = 0; i <= kGuidePlaces; ++i) {
      const Vec3 p = g.at(g.last() * i / kGuidePlaces);
      const Vec2 at = guideFeet_.of(&g, i, p, now);
      PlaceRows rows = squares.at(at.x(), at.y(), 0);
      const Vec3 n = now.normal(at.x(), at.y());
      rows.ask({{0, 0, n}}, n.dot(p), root);
      squares.add(rows);
    }
  }

  // Measuring

  /// In parts of what the fit may use; errors of spans are kept for `refine`.
  Expected<double> measure(PatchFitted& f) {
    double worst = 0;
    errorU_.assign(breaksU_.size() - 1, 0.0), errorV_.assign(breaksV_.size() - 1, 0.0);
    for (int k = 0; k < 4; ++k) {
      if (sides_[size_t(k)].free) continue;
      const bool third = order(k) > 2;
      const std::vector<double>& b = alongU(k) ? breaksU_ : breaksV_;
      double before = 0, rateBefore = 0;
      for (size_t i = 0; i + 1 < b.size(); ++i) {
        double& error = (alongU(k) ? errorU_ : errorV_)[i];
        for (double look : third ? kThirdLooks : kLooks) {
          const double s = b[i] + (b[i + 1] - b[i]) * look;
          LUMSK_CHECK(lookAt(f, k, s, error));
          if (!third) continue;
          // Where the bending passes through an extreme the smallest error counts most.
          const double rate = bendingRate(f.surface, k, s);
          if (rate * rateBefore < 0) LUMSK_CHECK(lookAt(f, k, extremeOfBending(f.surface, k, before, s), error));
          before = s, rateBefore = rate;
        }
        worst = std::max(worst, error);
      }
    }
    // Curves inside are passed through.
    for (const Path* g : o_.guides)
      for (int i = 0; i <= kGuidePlaces; ++i) {
        const Vec3 p = g->at(g->last() * i / kGuidePlaces);
        const Vec2 x = guideFeet_.of(g, i, p, f.surface);
        const double off = (f.surface.at(x.x(), x.y()) - p).norm() / (kGuidePart * cx_.tolerances.fit.mm);
        worst = std::max(worst, off);
        for (bool u : {true, false}) {
          const std::vector<double>& b = u ? breaksU_ : breaksV_;
          const size_t k = size_t(std::upper_bound(b.begin() + 1, b.end() - 1, u ? x.x() : x.y()) - b.begin()) - 1;
          double& error = (u ? errorU_ : errorV_)[k];
          error = std::max(error, off);
        }
      }
    return worst;
  }

  /// The patch at a place of a side.
  Expected<void> lookAt(PatchFitted& f, int k, double s, double& error) {
    LUMSK_TRY(a, ask(k, s));
    SurfaceDerivatives d;
    f.surface.derivatives(a.u, a.v, 3, d);
    const double gap = (d(0, 0) - a.at).norm();
    f.gapMm[size_t(k)] = std::max(f.gapMm[size_t(k)], gap);
    error = std::max(error, gap / (gapPart() * cx_.tolerances.fit.mm));
    if (order(k) == 0 || isPole(k) || a.besidePole || a.tangency < 1) return {};
    // Told is what was asked for, also where less is tried.
    f.joins[size_t(k)].take(joinOf(a, d, a.bending < 1 ? 1 : askedOrder(k)), cx_.tolerances);
    const SkinJoin join = joinOf(a, d, a.bending < 1 ? 1 : order(k));
    error = std::max({error, join.angleDeg / (kJoinPart * cx_.tolerances.angle.deg),
                      join.curvature / (kJoinPart * cx_.tolerances.curvature.relative),
                      join.rate / (kRatePart * SkinJoin::kRateAllowed)});
    return {};
  }

  SkinJoin joinOf(const PatchAsked& a, const SurfaceDerivatives& d, int q) const {
    if (!atPlane(a.side)) return joinWith(a.beside, q, d, a.along, flat_);
    return joinWithPlane(sides_[size_t(a.side)].plane, q, d, a.along, flat_);
  }

  /// More spans where joins are worse than they may be. False where that would be too many.
  bool refine() {
    for (bool u : {true, false}) {
      std::vector<double>& b = u ? breaksU_ : breaksV_;
      std::vector<double> parts = u ? errorU_ : errorV_;
      if (*std::max_element(parts.begin(), parts.end()) <= 1) continue;
      for (double& x : parts) x = partsFor(x, kAimed, kDegree + 1 - highestOrder(), 2);
      b = spreadBreaks(b, parts);
    }
    return controlPoints() <= kMostPoints;
  }
  size_t controlPoints() const { return (breaksU_.size() + kDegree - 1) * (breaksV_.size() + kDegree - 1); }

  static constexpr size_t kMostPoints = 2000;

  std::array<Vec3, 4> lastNormal_{Vec3::Zero(), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
  double evenness_ = kEvenness;
  std::vector<double> breaksU_, breaksV_;
  std::vector<double> errorU_, errorV_;            ///< of the spans, in parts of what the fit may use
  std::vector<PatchAsked> asked_;
  std::map<std::pair<int, double>, PatchAsked> known_;
  GuideFeet guideFeet_;
  std::optional<Surface> last_; ///< of the try before
};

} // namespace

Expected<PatchFitted> fitPatch(const std::array<PatchSide, 4>& sides, const PatchFitOptions& options,
                               const Context& cx) {
  return PatchFitter(sides, options, cx).run();
}

} // namespace lumsk::nurbs
